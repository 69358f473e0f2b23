import { readFileSync } from 'node:fs'
import type { Report } from './protocol'

/** One line of an attempt's journal: a report, and how far the output was read when it was made: bytes of either stream, and words of the supervisor's. */
export interface Kept {
  readonly report: Report
  readonly read: readonly [number, number, number]
}

/** All whole lines of a journal; a last line that a kill cut off is not a report that anybody was told of. Of one number the last counts: it took the place of the others. */
export function readJournal(file: string): Kept[] {
  const bySeq = new Map<number, Kept>()
  let last: Kept['read'] = [0, 0, 0]
  for (const line of wholeLines(file)) {
    let kept: Kept
    try {
      kept = JSON.parse(line) as Kept
    } catch {
      continue
    }
    last = kept.read
    bySeq.set(kept.report.seq, kept)
  }
  const journal = [...bySeq.values()]
  return journal.map((kept, i) => (i === journal.length - 1 ? { ...kept, read: last } : kept))
}

/** Its reports from a number on, in order. */
export const reportsIn = (file: string, from: number): Report[] =>
  readJournal(file).flatMap(({ report }) => (report.seq >= from ? [report] : []))

function wholeLines(file: string): string[] {
  try {
    return readFileSync(file, 'utf8').split('\n').slice(0, -1)
  } catch {
    // Nothing is kept of it.
    return []
  }
}
