import type { LogMatter, ShiftLog } from './night'

/** A matter as a log has it: a run that failed, and is open. */
export const logMatter = (change: Partial<LogMatter> = {}): LogMatter => ({
  id: 1,
  kind: 'run-failed',
  title: 'Fare cache',
  stepTitle: null,
  agent: 'kelda-app2',
  runId: 17,
  evidence: 'no space left on device',
  times: 1,
  openedAtMs: 0,
  takenBy: null,
  takenAtMs: null,
  note: '',
  closedBy: null,
  closedAtMs: null,
  done: '',
  ...change,
})

/** The log of a shift in which nothing happened. */
export const quietLog = (change: Partial<ShiftLog> = {}): ShiftLog => ({
  fromMs: 0,
  toMs: 15 * 3_600_000,
  before: [],
  matters: [],
  changes: [],
  notes: [],
  handedOver: [],
  isCut: false,
  ...change,
})
