import type { FlowRun } from '../flow/state'
import { lengthBeyond } from './length'
import type { Occurrence, StepModel, Work } from './model'

/** One attempt of a run, as a forecast lists it. Seconds since the epoch. */
export interface Attempt {
  readonly task: Task
  readonly ready: number
  start: number | null
  end: number | null
  agent: string | null
  state: 'ready' | 'running' | 'succeeded' | 'failed' | 'lost' | 'cancelled'
}

/** One occurrence and what became of it. */
export interface Night {
  readonly of: Occurrence
  /** Which it was of all that were let go, from 0 on. */
  readonly order: number
  readonly work: Work
  readonly flow: FlowRun | null
  /** When its overlap let it go. */
  readonly letGo: number
  /** Steps that a person holds, by their places in the plan. */
  readonly held: ReadonlySet<number>
  /** Runs that have not ended, by their numbers. */
  readonly open: Map<number, Task>
  state: 'running' | 'succeeded' | 'failed' | 'cancelled' | 'replaced'
  finish: number | null
}

/** A run: what keeps its number through all its attempts. */
export interface Task {
  readonly night: Night
  readonly step: StepModel
  readonly number: number
  /** Attempts that were begun. */
  begun: number
  failed: number
  /** It does not start before a person lets it. */
  readonly held: boolean
  /** Grows when what is put down for it no longer holds. */
  token: number
  agent: string | null
  attempt: Attempt
}

/** What one attempt takes and whether it fails; asked once for each, when it starts. */
export interface Lengths {
  readonly seconds: (task: Task) => number
  /** In all, of one that has run for so many seconds. */
  readonly beyond: (task: Task, elapsed: number) => number
  readonly fails: (task: Task) => boolean
}

/** Everything takes its usual length and succeeds. */
export const USUAL: Lengths = {
  seconds: ({ step }) => step.length.p50,
  // A little below a half: of an even number of lengths the lower median, as everywhere.
  beyond: ({ step }, elapsed) => lengthBeyond(step.length, elapsed, 0.5 - 1e-9),
  fails: () => false,
}

/** Told of what happens, for whoever makes a record of it. */
export interface Witness {
  readonly attempt: (attempt: Attempt) => void
  /** More or fewer slots of a pool are in use. */
  readonly used: (pool: string, slots: number) => void
  /** After all that happens at an instant; `waiting`: how many ready runs wait for each reason from now on. */
  readonly instant: (now: number, waiting: () => Readonly<Record<WaitReason, number>>) => void
}

export const WAIT_REASONS = ['agent', 'lock', 'slot', 'turn'] as const
export type WaitReason = (typeof WAIT_REASONS)[number]

export interface Played {
  /** In the order in which they were let go. */
  readonly nights: readonly Night[]
  /** Occurrences that still wait for those before them. */
  readonly waiting: ReadonlySet<Occurrence>
  /** When the clock stopped. */
  readonly stopped: number
}
