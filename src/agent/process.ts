import { readFileSync } from 'node:fs'

export interface ProcessStat {
  readonly name: string
  /** `Z`: it has ended, and nobody has asked for its code yet. */
  readonly state: string
  readonly group: number
  readonly session: number
  /** When it started, in clock ticks since boot: with the number it names one process for ever (proc(5)). */
  readonly startTicks: string
}

/** What the system says of a process; null: there is none, or no /proc. */
export function statOf(pid: number): ProcessStat | null {
  try {
    const text = readFileSync(`/proc/${pid}/stat`, 'utf8')
    // The name in parentheses may hold anything; the fields after it begin with the third.
    const end = text.lastIndexOf(')')
    const fields = text.slice(end + 2).split(' ')
    return {
      name: text.slice(text.indexOf('(') + 1, end),
      state: fields[0] ?? '',
      group: Number(fields[2]),
      session: Number(fields[3]),
      startTicks: fields[19] ?? '',
    }
  } catch {
    return null
  }
}

export const startTicksOf = (pid: number): string | null => statOf(pid)?.startTicks ?? null

/** Whether this process still runs, and is not another one that got its number. A zombie has ended. */
export function isAlive(pid: number, startTicks: string | null): boolean {
  try {
    process.kill(pid, 0)
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'EPERM') return false
  }
  if (startTicks === null) return true
  const stat = statOf(pid)
  return stat !== null && stat.state !== 'Z' && stat.startTicks === startTicks
}

/** Signals the whole group; false if there is none any more. */
export function signalGroup(pid: number, signal: NodeJS.Signals): boolean {
  try {
    process.kill(-pid, signal)
    return true
  } catch {
    return false
  }
}
