// Every run with its attempts and their output, and what is wrong.

import type { Cause, RunState } from '@/core/run/lifecycle'
import {
  bytes,
  day,
  filled,
  flag,
  id,
  instant,
  int,
  json,
  key,
  long,
  orNull,
  ref,
  small,
  table,
  text,
} from '../columns'

export const runs = table('runs', {
  id: id(),
  jobId: ref(),
  jobVersion: int(),
  areaId: ref(),
  target: orNull(json()),
  kind: text(),
  minVersion: orNull(text()),
  inputs: filled(json<Record<string, string>>()),
  secrets: orNull(bytes()),
  cause: text<Cause>(),
  startedBy: orNull(ref()),
  starterName: filled(text()),
  againOf: orNull(ref()),
  triggerId: orNull(ref()),
  occurrence: orNull(instant()),
  eventId: orNull(ref()),
  requestKey: orNull(text()),
  state: text<RunState>(),
  version: filled(int()),
  priority: small(),
  slots: filled(int()),
  attempts: filled(int()),
  maxAttempts: filled(int()),
  retryDelayMs: filled(long()),
  startAfter: orNull(instant()),
  heldBy: orNull(text()),
  stopAskedBy: orNull(text()),
  stopAskedAt: orNull(instant()),
  createdAt: filled(instant()),
  readyAt: orNull(instant()),
  startedAt: orNull(instant()),
  endedAt: orNull(instant()),
  durationMs: orNull(long()),
  agentId: orNull(ref()),
  robotId: orNull(ref()),
  exitCode: orNull(int()),
  reason: filled(text()),
  clearedAt: orNull(instant()),
  triggerVersion: orNull(int()),
  calendarVersions: orNull(json<Record<string, number>>()),
  occurrenceDay: orNull(day()),
  dueAt: orNull(instant()),
  forAgentId: orNull(ref()),
  afterEarlier: filled(flag()),
  unreachableSince: orNull(instant()),
  planId: orNull(ref()),
  flowDay: orNull(day()),
  flowRunId: orNull(ref()),
  step: orNull(int()),
  stepPath: orNull(text()),
  chainMs: orNull(long()),
  deadlineState: orNull(text<'at-risk' | 'late'>()),
  foreseenAt: orNull(instant()),
  account: orNull(text()),
  locks: filled(json<Record<string, number>>()),
  accountId: orNull(ref()),
})

export const attempts = table('attempts', {
  id: id(),
  runId: ref(),
  number: int(),
  agentId: ref(),
  robotId: orNull(ref()),
  token: filled(long()),
  state: text<'handed' | 'accepted' | 'running' | 'succeeded' | 'failed' | 'cancelled' | 'lost'>(),
  leaseUntil: instant(),
  handedAt: instant(),
  startedAt: orNull(instant()),
  endedAt: orNull(instant()),
  exitCode: orNull(int()),
  reason: filled(text()),
  whatRan: orNull(json()),
  reportSeq: filled(int()),
  outputLines: filled(int()),
  outputBytes: filled(long()),
  outputCut: filled(flag()),
  outputPurged: filled(flag()),
  tellingLine: filled(text()),
  outputs: filled(json<Record<string, string>>()),
})

export const outputChunks = table('output_chunks', {
  attemptId: key(ref()),
  firstLine: key(int()),
  lineCount: int(),
  lines: json(),
})

export const refusedReports = table('refused_reports', {
  agentId: key(ref()),
  attemptId: key(ref()),
  kind: key(text<'stale' | 'unstorable' | 'superseded'>()),
  reason: filled(text()),
  times: filled(long()),
  firstAt: filled(instant()),
  lastAt: filled(instant()),
})

export const foundAttempts = table('found_attempts', {
  attempt: key(long()),
  token: key(long()),
  agentId: key(ref()),
  foundAt: filled(instant()),
  goesOn: filled(flag()),
  state: filled(text<'asked' | 'told' | 'taken' | 'recalled' | 'left'>()),
  receipt: orNull(json()),
})

export const outputLooks = table('output_looks', {
  runId: key(ref()),
  state: filled(text<'waiting' | 'first' | 'same' | 'changed' | 'failed'>()),
  tries: filled(int()),
  nextAt: filled(instant()),
  beforeId: orNull(ref()),
  change: orNull(json()),
  why: filled(text()),
  lookedAt: orNull(instant()),
})

export const matters = table('matters', {
  id: id(),
  kind: text<
    | 'run-failed'
    | 'run-lost'
    | 'run-at-risk'
    | 'deadline-at-risk'
    | 'run-late'
    | 'output-changed'
    | 'agent-away'
    | 'trouble'
  >(),
  subject: text(),
  state: filled(text<'open' | 'taken' | 'closed'>()),
  runId: orNull(ref()),
  agentId: orNull(ref()),
  times: filled(int()),
  evidence: filled(text()),
  openedAt: filled(instant()),
  lastAt: filled(instant()),
  takenBy: orNull(text()),
  takenById: orNull(ref()),
  takenAt: orNull(instant()),
  note: filled(text()),
  closedBy: orNull(text()),
  closedAt: orNull(instant()),
  stepRunId: orNull(ref()),
  title: filled(text()),
  done: filled(text()),
})

export const shiftNotes = table('shift_notes', {
  id: id(),
  at: filled(instant()),
  text: text(),
  personId: orNull(ref()),
  personName: text(),
})

export const handOvers = table('hand_overs', {
  id: id(),
  fromAt: instant(),
  toAt: instant(),
  at: filled(instant()),
  personId: orNull(ref()),
  personName: text(),
  toName: text(),
  note: filled(text()),
})
