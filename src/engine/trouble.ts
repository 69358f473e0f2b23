import { wordsOf } from '@/service/base/each-alone'
import { LeadershipLost } from '@/service/runs/leadership'
import { closeTrouble, openTrouble } from '@/service/base/trouble'
import { isOutage } from '@/store/outage'
import { log } from './log'

/** How often a lasting trouble is told again. */
const TELL_AGAIN_MS = 60_000

interface Told {
  since: number
  toldAt: number
  times: number
}

/**
 * What an engine says when one of its loops fails. The database being away is one line when it begins and one when it is over, however many loops meet it; anything else is a matter that
 * names what the engine cannot do, closed when it can again.
 */
export class Troubles {
  private outage: Told | undefined
  private readonly open = new Map<string, Told>()
  /** What has worked since this engine began: an engine before it may have left a matter about it. */
  private readonly works = new Set<string>()

  /** `what`: what the engine cannot do, in words that follow “cannot”. */
  async failed(what: string, error: unknown): Promise<void> {
    const now = Date.now()
    if (isOutage(error)) {
      const told = (this.outage ??= { since: now, toldAt: 0, times: 0 })
      told.times++
      if (now - told.toldAt < TELL_AGAIN_MS) return
      told.toldAt = now
      log.warn(
        { err: error, seconds: Math.round((now - told.since) / 1000), times: told.times },
        'the database does not answer',
      )
      return
    }
    const told = this.open.get(what) ?? { since: now, toldAt: 0, times: 0 }
    this.open.set(what, told)
    told.times++
    if (now - told.toldAt < TELL_AGAIN_MS) return
    told.toldAt = now
    log.error({ err: error, times: told.times }, `cannot ${what}`)
    await openTrouble(null, {
      subject: `engine ${what}`,
      title: `The engine cannot ${what}`,
      evidence: wordsOf(error),
    }).catch(() => undefined)
  }

  async worked(what: string): Promise<void> {
    if (this.outage) {
      log.info(
        { seconds: Math.round((Date.now() - this.outage.since) / 1000), times: this.outage.times },
        'the database answers again',
      )
      this.outage = undefined
    }
    const isFirst = !this.works.has(what)
    this.works.add(what)
    if (!this.open.delete(what) && !isFirst) return
    await closeTrouble(null, [`engine ${what}`], 'it can again').catch(() => undefined)
  }

  /** Does the work, and tells what came of it. Losing the lead is no trouble, and is passed on. */
  async watch(what: string, work: () => Promise<void>): Promise<void> {
    try {
      await work()
    } catch (error) {
      if (error instanceof LeadershipLost) throw error
      return this.failed(what, error)
    }
    await this.worked(what)
  }
}
