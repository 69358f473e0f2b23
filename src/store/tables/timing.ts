// Calendars and triggers, each of their versions, and what did not start.

import {
  day,
  double,
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
  texts,
} from '../columns'

export const calendars = table('calendars', {
  id: id(),
  slug: text(),
  title: text(),
  notes: filled(text()),
  rule: json(),
  version: filled(int()),
  holidays: orNull(json()),
  feedHash: orNull(text()),
  savedBy: text(),
  savedAt: filled(instant()),
})

export const calendarVersions = table('calendar_versions', {
  calendarId: key(ref()),
  version: key(int()),
  rule: json(),
  savedBy: text(),
  savedAt: filled(instant()),
})

export const triggers = table('triggers', {
  id: id(),
  slug: text(),
  title: text(),
  notes: filled(text()),
  jobId: ref(),
  enabled: filled(flag()),
  version: filled(int()),
  definition: json(),
  calendars: filled(texts()),
  nextAt: orNull(instant()),
  nextDay: orNull(day()),
  says: filled(text()),
  runsPerDay: filled(real()),
  gapSeconds: orNull(long()),
  savedBy: text(),
  savedAt: filled(instant()),
  deletedAt: orNull(instant()),
  kind: filled(text<'time' | 'backlog' | 'measure' | 'file' | 'call' | 'after'>()),
  queueId: orNull(ref()),
  afterJobId: orNull(ref()),
  afterWhen: orNull(text<'succeeded' | 'failed' | 'ended' | 'changed'>()),
  countedFrom: filled(instant()),
  events: filled(long()),
})

/** What happened that starts something, each decided once. */
export const triggerEvents = table('trigger_events', {
  id: id(),
  triggerId: ref(),
  key: text(),
  at: instant(),
  facts: json(),
  depth: filled(int()),
  notBefore: orNull(instant()),
  decidedAt: orNull(instant()),
  outcome: orNull(text<'started' | 'not started'>()),
  why: orNull(text()),
})

const measured = { kind: key(text<'agent' | 'queue'>()), ofId: key(long()), name: key(text()), at: key(instant()) }
/** Measured values, one a minute, and what is left of each hour. */
export const measureValues = table('measure_values', { ...measured, value: double() })
export const measureHours = table('measure_hours', { ...measured, least: double(), median: double(), most: double() })

/** What agents say of the folders that they look into for triggers. */
export const triggerWatches = table('trigger_watches', {
  triggerId: key(ref()),
  agent: text(),
  fault: orNull(text()),
  at: filled(instant()),
})

/** Addresses of triggers that programs call. */
export const triggerCalls = table('trigger_calls', {
  triggerId: key(ref()),
  hash: text(),
  signingKey: text(),
  madeBy: text(),
  madeAt: filled(instant()),
})

export const triggerVersions = table('trigger_versions', {
  triggerId: key(ref()),
  version: key(int()),
  jobId: ref(),
  definition: json(),
  savedBy: text(),
  savedAt: filled(instant()),
})

export const notStarted = table('not_started', {
  id: id(),
  triggerId: ref(),
  triggerVersion: int(),
  firstOccurrence: instant(),
  lastOccurrence: instant(),
  times: int(),
  why: text(),
  detail: text(),
  runId: orNull(ref()),
  at: filled(instant()),
})
