// What is expected, what was told, and what is proposed.

import { filled, flag, id, instant, int, json, key, orNull, real, reals, ref, table, text } from '../columns'

export const jobLengths = table('job_lengths', {
  jobId: key(ref()),
  samples: reals(),
  fails: real(),
  runs: int(),
  drift: real(),
  measuredAt: instant(),
  byChoice: orNull(json()),
})

export const forecasts = table('forecasts', {
  singleton: key(filled(flag())),
  madeAt: instant(),
  tookMs: int(),
  body: json(),
  runs: json(),
})

export const toldDeadlines = table('told_deadlines', {
  triggerId: key(ref()),
  occurrence: key(instant()),
  machine: key(filled(text())),
  lead: key(text<'8h' | '2h' | '10m' | 'begun'>()),
  toldAt: instant(),
  dueAt: instant(),
  chance: real(),
  finishP50: orNull(instant()),
  finishP90: orNull(instant()),
})

export const proposals = table('proposals', {
  id: id(),
  madeAt: filled(instant()),
  madeBy: text(),
  fromAt: instant(),
  hours: int(),
  answer: json(),
  taken: orNull(json()),
  takenBy: orNull(text()),
  takenAt: orNull(instant()),
  undone: orNull(json()),
  undoneBy: orNull(text()),
  undoneAt: orNull(instant()),
})

export const variants = table('variants', {
  id: id(),
  title: text(),
  changes: json(),
  madeBy: text(),
  madeAt: filled(instant()),
})
