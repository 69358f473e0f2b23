// Who uses Bugle, how they sign in, and what they did.

import type { Level } from '@/core/people/rights'
import type { Role } from '@/core/people/roles'
import { bytes, filled, flag, id, instant, int, json, key, orNull, ref, table, text, texts } from '../columns'

export const people = table('people', {
  id: id(),
  email: text(),
  name: text(),
  role: text<Role>(),
  passwordHash: orNull(text()),
  active: filled(flag()),
  isDemo: filled(flag()),
  preferences: filled(json<Record<string, unknown>>()),
  createdAt: filled(instant()),
  kind: filled(text<'person' | 'service'>()),
  areaId: orNull(ref()),
  notes: filled(text()),
})

export const sessions = table('sessions', {
  id: id(),
  tokenHash: text(),
  personId: ref(),
  address: text(),
  userAgent: text(),
  createdAt: filled(instant()),
  lastSeenAt: filled(instant()),
  expiresAt: instant(),
  confirmedAt: filled(instant()),
  providerId: orNull(ref()),
  idToken: orNull(bytes()),
})

export const accessTokens = table('access_tokens', {
  id: id(),
  personId: ref(),
  name: text(),
  tokenHash: text(),
  createdAt: filled(instant()),
  expiresAt: instant(),
  lastUsedAt: orNull(instant()),
  revokedAt: orNull(instant()),
  may: filled(text<'see' | 'operate' | 'design' | 'administer'>()),
})

export const groups = table('groups', {
  id: id(),
  title: text(),
  notes: filled(text()),
  changedBy: text(),
  changedAt: filled(instant()),
})

export const groupMembers = table('group_members', {
  groupId: key(ref()),
  personId: key(ref()),
})

/** What a person or a group (one of the two) may on an area. */
export const grants = table('grants', {
  id: id(),
  areaId: ref(),
  personId: orNull(ref()),
  groupId: orNull(ref()),
  may: text<Level>(),
})

/** Invitations and new passwords, by mail with a link that works once. */
export const letters = table('letters', {
  id: id(),
  kind: text<'invitation' | 'password'>(),
  tokenHash: text(),
  email: text(),
  role: orNull(text<Role>()),
  areas: filled(json()),
  note: filled(text()),
  personId: orNull(ref()),
  madeBy: text(),
  madeAt: filled(instant()),
  expiresAt: instant(),
  usedAt: orNull(instant()),
  withdrawnAt: orNull(instant()),
})

/** What somebody shows beside the password. */
export const secondFactors = table('second_factors', {
  id: id(),
  personId: ref(),
  kind: text<'app' | 'passkey'>(),
  title: text(),
  madeAt: filled(instant()),
  lastUsedAt: orNull(instant()),
  secret: orNull(bytes()),
  lastStep: orNull(ref()),
  credentialId: orNull(text()),
  publicKey: orNull(bytes()),
  counter: orNull(ref()),
  transports: filled(texts()),
})

export const recoveryCodes = table('recovery_codes', {
  id: id(),
  personId: ref(),
  codeHash: text(),
  usedAt: orNull(instant()),
})

/** Between the password and the second factor, and while a factor is being set up. */
export const entryTickets = table('entry_tickets', {
  id: id(),
  tokenHash: text(),
  personId: ref(),
  purpose: text<'show' | 'make' | 'add'>(),
  secret: orNull(bytes()),
  challenge: orNull(text()),
  tries: filled(int()),
  expiresAt: instant(),
})

/** Where people sign in elsewhere. */
export const providers = table('providers', {
  id: id(),
  title: text(),
  issuer: text(),
  clientId: text(),
  clientSecret: orNull(bytes()),
  claim: text(),
  rules: filled(json()),
  makesPeople: flag(),
  role: text<Role>(),
  active: flag(),
  changedBy: text(),
  changedAt: filled(instant()),
})

export const providerPeople = table('provider_people', {
  providerId: key(ref()),
  subject: key(text()),
  personId: ref(),
})

/** Between going there and coming back. */
export const providerVisits = table('provider_visits', {
  stateHash: key(text()),
  browserHash: text(),
  providerId: ref(),
  nonce: text(),
  verifier: text(),
  goesTo: text(),
  expiresAt: instant(),
})

export const attemptCounts = table('attempt_counts', {
  kind: key(text()),
  key: key(text()),
  since: filled(instant()),
  times: filled(int()),
})

export const setupCodes = table('setup_codes', {
  codeHash: key(text()),
  expiresAt: instant(),
})

export const audit = table('audit', {
  id: id(),
  at: filled(instant()),
  personId: orNull(ref()),
  personName: text(),
  via: text(),
  address: text(),
  action: text(),
  objectType: text(),
  objectId: text(),
  objectTitle: text(),
  changes: filled(json()),
})
