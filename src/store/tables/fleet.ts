// Machines, what they may do, and how they came to be here.

import type { Allowed } from '@/core/fleet/allowance'
import type { LineHealth } from '@/core/fleet/line-health'
import {
  bytes,
  filled,
  flag,
  id,
  instant,
  int,
  json,
  key,
  long,
  orNull,
  real,
  ref,
  table,
  text,
  uuid,
} from '../columns'

export const agents = table('agents', {
  id: id(),
  name: text(),
  machineId: text(),
  host: text(),
  system: text(),
  arch: text(),
  version: text(),
  runtime: text(),
  labels: filled(json<Record<string, string>>()),
  abilities: filled(json<string[]>()),
  slots: filled(int()),
  active: filled(flag()),
  draining: filled(flag()),
  credentialHash: orNull(text()),
  enrolledAt: filled(instant()),
  enrolledBy: filled(text()),
  isSimulated: filled(flag()),
  fleetVersion: filled(long()),
})

export const agentContacts = table('agent_contacts', {
  agentId: key(ref()),
  engineId: orNull(uuid()),
  connectedAt: orNull(instant()),
  lastContactAt: orNull(instant()),
  load: orNull(real()),
  lastStartAt: orNull(instant()),
  connection: orNull(long()),
  instance: orNull(text()),
  replacedInstance: orNull(text()),
  fullSince: orNull(instant()),
  measures: orNull(json<Record<string, number>>()),
  line: orNull(json<LineHealth>()),
})

/** Pools whose work is steered onto one member. */
export const poolSteers = table('pool_steers', {
  poolId: key(ref()),
  onto: text(),
  before: json(),
  until: orNull(instant()),
  steeredBy: text(),
  steeredAt: filled(instant()),
})

export const agentEvents = table('agent_events', {
  id: id(),
  agentId: ref(),
  at: filled(instant()),
  kind: text(),
  detail: filled(text()),
  times: filled(int()),
  firstAt: orNull(instant()),
})

export const pools = table('pools', {
  id: id(),
  name: text(),
  title: text(),
  createdAt: filled(instant()),
  active: filled(flag()),
})

export const poolMembers = table('pool_members', {
  poolId: key(ref()),
  agentId: key(ref()),
  active: filled(flag()),
})

export const enrolmentKeys = table('enrolment_keys', {
  id: id(),
  keyHash: text(),
  labels: filled(json<Record<string, string>>()),
  poolIds: filled(json<number[]>()),
  robots: filled(json()),
  slots: filled(int()),
  usesLeft: int(),
  expiresAt: instant(),
  createdBy: text(),
  createdAt: filled(instant()),
  revokedAt: orNull(instant()),
})

export const enrolments = table('enrolments', {
  id: id(),
  keyId: ref(),
  pollHash: text(),
  state: text<'asking' | 'granted' | 'refused'>(),
  facts: json(),
  existingAgentId: orNull(ref()),
  agentId: orNull(ref()),
  createdAt: filled(instant()),
  fetchedAt: orNull(instant()),
})

export const locks = table('locks', {
  id: id(),
  name: text(),
  title: text(),
  units: int(),
})

export const loadSamples = table('load_samples', {
  at: key(instant()),
  agentId: key(ref()),
  busyMs: long(),
})

export const robots = table('robots', {
  id: id(),
  name: text(),
  agentId: ref(),
  accountId: orNull(ref()),
  kind: text<'attended' | 'unattended'>(),
  earliest: orNull(text()),
  latest: orNull(text()),
  calendar: orNull(text()),
  labels: filled(json<Record<string, string>>()),
  active: filled(flag()),
  activeAt: filled(instant()),
  notes: filled(text()),
  registeredBy: text(),
  registeredAt: filled(instant()),
  removedAt: orNull(instant()),
  lastStartAt: orNull(instant()),
  tryToken: orNull(long()),
  triedAt: orNull(instant()),
  tryFault: orNull(text()),
  personId: orNull(ref()),
  deskSince: orNull(instant()),
})

/** What people who sit at robots were asked. */
export const deskAsks = table('desk_asks', {
  id: id(),
  runId: ref(),
  attempt: int(),
  robotId: ref(),
  state: text<'asked' | 'later' | 'agreed' | 'no' | 'late' | 'over'>(),
  askedAt: filled(instant()),
  at: instant(),
  answeredAt: orNull(instant()),
  answeredBy: orNull(text()),
})

export const robotPools = table('robot_pools', {
  poolId: key(ref()),
  robotId: key(ref()),
  active: filled(flag()),
})

/** What may be used at once. */
export const allowances = table('allowances', {
  id: id(),
  what: text<Allowed>(),
  areaId: orNull(ref()),
  units: int(),
  setBy: text(),
  setAt: filled(instant()),
})

export const allowanceAsks = table('allowance_asks', {
  id: id(),
  allowanceId: ref(),
  units: int(),
  why: text(),
  until: orNull(instant()),
  state: filled(text<'open' | 'granted' | 'declined' | 'withdrawn'>()),
  askedBy: text(),
  personId: orNull(ref()),
  askedAt: filled(instant()),
  answeredBy: orNull(text()),
  answeredAt: orNull(instant()),
  answer: filled(text()),
  endedAt: orNull(instant()),
})

export const allowanceUse = table('allowance_use', {
  what: key(text<Allowed>()),
  areaId: key(ref()),
  hour: key(instant()),
  peak: int(),
  mean: real(),
})

/** What agents told of themselves for a while. */
export const traces = table('traces', {
  id: id(),
  agentId: ref(),
  askedBy: text(),
  startedAt: filled(instant()),
  until: instant(),
  bytes: filled(long()),
  lines: filled(long()),
  rolled: filled(flag()),
})

export const traceChunks = table('trace_chunks', {
  id: id(),
  traceId: ref(),
  body: bytes(),
  bytes: int(),
})
