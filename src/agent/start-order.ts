import type { Lease } from './protocol'

/** An account of this machine, from its own list. */
export interface Account {
  readonly name: string
  readonly uid: number
  readonly gid: number
  readonly home: string
  readonly shell: string
}

/** What the supervisor of an attempt is told, in a file of the attempt's folder. */
export interface StartOrder {
  readonly argv: readonly string[]
  readonly folder: string
  /** The job's own variables: they reach the command, and nothing before it. */
  readonly environment: Readonly<Record<string, string>>
  /** The command runs under it; null: under the agent's own. */
  readonly account: Account | null
  /** An action of ours: it has named values written to an open file instead of by a name that a job could know. */
  readonly isAct: boolean
  readonly outputsFile: string
  /** Where it asks for items of work queues; null: its job names none. */
  readonly itemsFolder: string | null
  readonly mark: string
  readonly timeLimitMs: number | null
  readonly graceMs: number
  readonly maxOutputBytes: number
  readonly must: Lease['must']
  readonly mustNot: Lease['mustNot']
  /** What the command leaves running may go on after it. */
  readonly mayLeave: boolean
}

/** The shell and the tools that stand between the agent and a command are always these, whatever a job's PATH says. */
export const SHELL = '/bin/sh'

/** A process's environment, and nothing else in it. */
export const environmentOf = (variables: Readonly<Record<string, string | undefined>>): NodeJS.ProcessEnv =>
  Object.fromEntries(Object.entries(variables).filter(([, value]) => value !== undefined)) as NodeJS.ProcessEnv
