/** What a supervisor writes into the folder of an attempt, and how it is woken. */

/** It is to look for a word of the agent's; nothing else comes of it. */
export const WAKE = 'SIGUSR2'

/** Who began, written once: of two supervisors of one attempt only the first goes on. */
export interface Begun {
  readonly pid: number
  readonly startTicks: string | null
}

export interface StartedFile {
  /** Of the command, which leads a session and a process group of its own. */
  readonly pid: number
  /** The account that it really runs under, as the system says. */
  readonly user: string
  readonly at: number
  readonly cgroup: string | null
}

export interface ExitFile {
  readonly how: 'exited' | 'stopped' | 'timedOut' | 'couldNotStart'
  readonly exitCode: number | null
  readonly signal: string | null
  readonly detail: string | null
  readonly at: number
  /** What a pattern met in output that was not kept. */
  readonly sawMust: boolean
  readonly mustNotLine: string | null
}
