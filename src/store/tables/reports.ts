// Reports, what came of making them, and what work is worth.

import { bytes, filled, id, instant, int, json, orNull, real, ref, table, text } from '../columns'

export const reports = table('reports', {
  id: id(),
  slug: text(),
  title: text(),
  notes: filled(text()),
  kind: text(),
  period: json(),
  zone: text(),
  filter: json(),
  options: json(),
  readers: json(),
  mail: json<readonly string[]>(),
  keepDays: int(),
  personId: orNull(ref()),
  madeBy: text(),
  version: filled(int()),
  savedBy: text(),
  savedAt: filled(instant()),
})

export const reportResults = table('report_results', {
  id: id(),
  reportId: ref(),
  title: text(),
  kind: text(),
  state: filled(text<'waiting' | 'making' | 'made' | 'failed' | 'stopped'>()),
  step: filled(text()),
  share: filled(real()),
  askedBy: text(),
  askedById: orNull(ref()),
  askedAt: filled(instant()),
  tries: filled(int()),
  heardAt: orNull(instant()),
  begunAt: orNull(instant()),
  endedAt: orNull(instant()),
  reason: filled(text()),
  period: filled(text()),
  document: orNull(json()),
  pdf: orNull(bytes()),
  pages: orNull(int()),
  mailed: filled(json()),
  mailDue: orNull(instant()),
  mailTries: filled(int()),
})

export const worths = table('worths', {
  id: id(),
  jobId: orNull(ref()),
  areaId: orNull(ref()),
  terms: json(),
  made: orNull(json()),
  savedBy: text(),
  savedAt: filled(instant()),
})
