import { getOr } from '../group'
import { isoDay } from '../calendar/days'
import type { Section } from './document'
import type { Frame, RunFact, RunTaker } from './facts'
import { dayAt, dayIn, daysOf, type Period } from './period'
import { nothing, worthSections, type OfJob, type Sum } from './worth-sections'
import { termsOn, type Terms, type WorthBook } from './worth-terms'

/** What ended well spares its minutes at the rate of its day, and costs what one run costs. */
function add(sum: Sum, isGood: boolean, { minutes, rate, runCost }: Terms): void {
  sum.runs++
  if (!isGood) return
  sum.succeeded++
  sum.hours += minutes / 60
  sum.money += (minutes / 60) * rate
  sum.cost += runCost
}

/**
 * What automation was worth: for each job or flow, n runs that succeeded: hours saved = n × minutes by hand ÷ 60, money saved = hours × rate − n × cost of a run. A flow with minutes of its own counts instead
 * of its steps, however deep they stand, so nothing counts twice; a flow without them counts as its steps. Minutes, rate and cost are those of each run’s day.
 * @param before the period to compare with; runs of both are taken
 */
export function worth(frame: Frame, before: Period, book: WorthBook): RunTaker<Section[]> {
  const { period, zone } = frame
  const now = nothing()
  const then = nothing()
  const jobs = new Map<number, OfJob>()
  const silent = new Map<number, { readonly title: string; n: number }>()
  const machines = new Set<string>()
  const toldByFlow = new Set<number>()
  const days = daysOf(period, zone)
  const perDay = days.map(() => 0)
  const known = new Map<string, Terms | null>()
  const termsAt = (jobId: number, ms: number): Terms | null => {
    const day = isoDay(dayIn(zone, ms))
    return getOr(known, `${jobId} ${day}`, () => termsOn(book.saidOf(jobId), day))
  }
  const take = (run: RunFact): void => {
    const { createdAtMs } = run
    const isNow = createdAtMs >= period.fromMs && createdAtMs < period.toMs
    const isThen = createdAtMs >= before.fromMs && createdAtMs < before.toMs
    if (!isNow && !isThen) return
    if (run.state !== 'succeeded' && run.state !== 'failed' && run.state !== 'lost') return
    // A flow that says nothing of itself is its steps; a step of one that does is told by it.
    if (run.isFlow && !book.hasOwn(run.jobId)) return
    if (run.within.some((flow) => book.hasOwn(flow))) {
      toldByFlow.add(run.jobId)
      return
    }
    const isGood = run.state === 'succeeded'
    const terms = termsAt(run.jobId, createdAtMs)
    if (isNow && !run.isFlow && run.agent !== null) machines.add(run.agent)
    if (!terms) {
      if (isNow && isGood) getOr(silent, run.jobId, () => ({ title: run.title, n: 0 })).n++
      return
    }
    if (isThen) add(then, isGood, terms)
    if (!isNow) return
    add(now, isGood, terms)
    const job = getOr(jobs, run.jobId, () => ({
      title: run.title,
      area: run.area,
      areaId: run.areaId,
      sum: nothing(),
      last: terms,
    }))
    job.last = terms
    add(job.sum, isGood, terms)
    if (!isGood) return
    const at = dayAt(days, createdAtMs)
    if (at >= 0) perDay[at] = (perDay[at] ?? 0) + (terms.minutes / 60) * terms.rate - terms.runCost
  }
  return {
    take,
    finish: () => worthSections(frame, before, book, { now, then, jobs, silent, machines, toldByFlow, days, perDay }),
  }
}
