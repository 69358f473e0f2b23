// Calendars and triggers, each of their versions, and what did not start.

import { day, filled, flag, id, instant, int, json, key, long, orNull, real, ref, table, text, texts } from '../columns'

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
