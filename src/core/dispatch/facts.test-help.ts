import { NOW } from './arbitrary.test-help'
import type { AgentState, ReadyRun } from './types'

const TEN_MINUTES = 600_000

/** An agent of pool `quay` that could take something. */
export const anAgent = (name: string, change: Partial<AgentState> = {}): AgentState => ({
  name,
  slots: 2,
  on: true,
  draining: false,
  connected: true,
  pools: { quay: true },
  labels: {},
  version: '1.0.0',
  abilities: ['command'],
  accounts: [],
  robot: null,
  lastStartAtMs: null,
  running: [],
  ...change,
})

/** A run that waits for an agent of pool `quay`. */
export const aRun = (number: number, change: Partial<ReadyRun> = {}): ReadyRun => ({
  number,
  target: { pool: 'quay' },
  kind: 'command',
  slots: 1,
  locks: {},
  account: null,
  minVersion: null,
  priority: 'normal',
  dueAtMs: null,
  usualMs: TEN_MINUTES,
  chainMs: TEN_MINUTES,
  readyAtMs: NOW,
  held: false,
  off: false,
  ...change,
})
