import { durationWords } from '../schema/duration-words'
import type { Change } from './since-good'

/** A run, or a step of a flow, as it was then or is now. Lengths in milliseconds; null: not known, or not over. */
export interface StepTimes {
  /** Which step; of one run the same in both. */
  readonly path: string
  readonly title: string
  readonly tookMs: number | null
  /** From when it could have begun until it did. */
  readonly waitedMs: number | null
}

/** So much longer is no chance of a busy minute. */
const LONGER = 1.5
const LONGER_MS = 20_000
const WAITED_MS = 60_000

/** Whether it took much longer than it does. @param thenMs what it usually takes, or took then */
export const isMuchLonger = (nowMs: number, thenMs: number): boolean =>
  nowMs >= thenMs * LONGER && nowMs - thenMs >= LONGER_MS

const fact = (kind: Change['kind'], says: string): Change => ({ kind, says, atMs: null, by: null, object: null })

/** Steps that took much longer, or waited much longer for a place, than in the good run; the longest difference first. @param name `Step Close of day`, or `It` */
export function timeChanges(
  then: readonly StepTimes[],
  now: readonly StepTimes[],
  name: (step: StepTimes) => string,
): Change[] {
  const before = new Map(then.map((step) => [step.path, step]))
  const found = now.flatMap((step): { change: Change; byMs: number }[] => {
    const was = before.get(step.path)
    if (!was) return []
    const both: { change: Change; byMs: number }[] = []
    if (step.waitedMs !== null && was.waitedMs !== null) {
      const byMs = step.waitedMs - was.waitedMs
      if (byMs >= WAITED_MS && step.waitedMs >= 2 * was.waitedMs)
        both.push({
          change: fact(
            'wait',
            `${name(step)} waited ${durationWords(step.waitedMs)} until it could begin; it was ${durationWords(was.waitedMs)}.`,
          ),
          byMs,
        })
    }
    if (step.tookMs !== null && was.tookMs !== null && isMuchLonger(step.tookMs, was.tookMs))
      both.push({
        change: fact(
          'length',
          `${name(step)} took ${durationWords(step.tookMs)}; it was ${durationWords(was.tookMs)}.`,
        ),
        byMs: step.tookMs - was.tookMs,
      })
    return both
  })
  return found.sort((a, b) => b.byMs - a.byMs).map(({ change }) => change)
}

/** How programs say that a file is not there (errno ENOENT in the words of several systems and shells). */
const NOT_THERE = [
  /(?<path>(?:[A-Za-z]:|\.{1,2})?[/\\~][^\s'":,;()]{1,300}|[\w.-]{1,100}\.\w{1,10})['"]?:? (?:No such file or directory|not found|does not exist|cannot be found)/i,
  /(?:No such file(?: or directory)?|cannot find(?: the)? file|file not found|cannot open(?: file)?)[:,]?\s+(?:open\s+)?['"]?(?<path>(?:[A-Za-z]:)?[/\\~]?[\w./\\-]{1,300})/i,
]

/** A file that is not there, by the line that a failed run's output tells most with; null: it says nothing of a file. */
export function missingFile(line: string): string | null {
  for (const pattern of NOT_THERE) {
    const path = pattern.exec(line.slice(0, 2000))?.groups?.path
    if (path !== undefined && /[./\\]/.test(path)) return path.replace(/[.:]$/, '')
  }
  return null
}

/** What a failed run says of a file. @param line the line of its output that tells most */
export function fileChanges(line: string): Change[] {
  const path = missingFile(line)
  return path === null ? [] : [fact('file', `Its output says that ${path} is not there.`)]
}
