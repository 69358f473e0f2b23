import { Problem } from '@/service/base/problem'
import { isOutage } from '@/store/outage'

/** How often a lasting outage is told again. */
const TELL_AGAIN_MS = 60_000

let outage: { since: number; toldAt: number; times: number } | undefined

const tell = (facts: object): void =>
  void process.stderr.write(`${JSON.stringify({ time: new Date().toISOString(), process: 'web', ...facts })}\n`)

/**
 * Whether the error is the database's being away. Then the log says so in one line when it begins and one a minute with a count, however many requests meet it.
 */
export function noteOutage(error: unknown): boolean {
  if (!isOutage(error)) return false
  const now = Date.now()
  outage ??= { since: now, toldAt: 0, times: 0 }
  outage.times++
  if (now - outage.toldAt >= TELL_AGAIN_MS) {
    outage.toldAt = now
    tell({
      msg: 'the database does not answer',
      seconds: Math.round((now - outage.since) / 1000),
      requests: outage.times,
    })
  }
  return true
}

/** Something was answered from the database: an outage is over. */
export function noteAnswer(): void {
  if (!outage) return
  const seconds = Math.round((Date.now() - outage.since) / 1000)
  tell({ msg: 'the database answers again', seconds, requests: outage.times })
  outage = undefined
}

/** What a caller is told meanwhile. */
export const databaseAway = (): Problem =>
  new Problem(
    'database-away',
    'The database does not answer: nothing is known or changed now. Work that agents have in hand goes on. Try again in some seconds.',
  )
