// Runs of flows: what they carry out, and how each step stands.

import { filled, flag, id, instant, int, json, key, orNull, ref, table, text } from '../columns'

export const flowPlans = table('flow_plans', {
  id: id(),
  hash: text(),
  bundle: json(),
})

export const flowSteps = table('flow_steps', {
  runId: key(ref()),
  step: key(int()),
  state: text<'waiting' | 'ready' | 'running' | 'succeeded' | 'failed' | 'skipped' | 'cancelled'>(),
  reason: orNull(text<'gate' | 'off' | 'passed-over'>()),
  tolerated: filled(flag()),
  stepRunId: orNull(ref()),
  startedAt: orNull(instant()),
  endedAt: orNull(instant()),
  heldBy: orNull(text()),
  markedBy: orNull(text()),
  markedWhy: orNull(text()),
})

export const flowEvents = table('flow_events', {
  id: id(),
  runId: ref(),
  at: filled(instant()),
  byName: text(),
  what: text(),
  step: orNull(text()),
})

export const flowWakes = table('flow_wakes', {
  id: id(),
  runId: ref(),
})
