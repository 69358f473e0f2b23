import { seededRandom } from '../stats/random'
import { isoDay } from '../calendar/days'
import { zoneOf, type Zone } from '../timing/zone'
import { RUN_STATES } from '../run/lifecycle'
import type { Cell, Section } from './document'
import { deadlines } from './deadlines'
import { failures } from './failures'
import type { Frame, RunFact, RunTaker } from './facts'
import { load, slotsByHour } from './load'
import { dayIn, periodBefore, periodOf } from './period'
import { queues, type ItemFact } from './queues'
import { runsByDay } from './runs-by-day'
import { schedules } from './schedules'
import { worth } from './worth'
import { termsOn, type WorthBook, type WorthTerm } from './worth-terms'

const HOUR = 3_600_000
/** The clock goes back in the middle of it, in London; the server is elsewhere. */
const ZONE = zoneOf('Europe/London') as Zone
const NOW = Date.parse('2026-11-01T06:00:00Z')
const SPEC = { from: '2026-10-22', to: '2026-10-28' }
const period = periodOf(SPEC, ZONE, NOW)
const frame: Frame = { period, zone: ZONE, nowMs: NOW, filter: { area: '3' } }

/** Runs of a week and more, in the order of their numbers: jobs, flows with steps, flows in flows, across midnights. */
function history(seed: number): RunFact[] {
  const random = seededRandom(seed)
  const pick = (most: number): number => Math.floor(random() * most)
  const runs: RunFact[] = []
  const from = period.fromMs - 9 * 24 * HOUR
  for (let i = 0, at = from; at < period.toMs + 12 * HOUR; i++, at += pick(90) * 60_000) {
    const isFlow = pick(6) === 0
    const around = runs.filter((run) => run.isFlow && at - run.createdAtMs < 4 * HOUR).at(-1)
    const parent = around && pick(3) === 0 ? around : null
    const state = RUN_STATES[pick(RUN_STATES.length)] ?? 'ready'
    const hasStarted = !['waiting', 'ready', 'skipped'].includes(state)
    const readyAtMs = at + pick(600) * 1000
    const startedAtMs = hasStarted ? readyAtMs + pick(4000) * 1000 : null
    const durationMs = hasStarted && state !== 'running' ? pick(30_000) * 1000 : null
    const jobId = (isFlow ? 20 : 1) + pick(5)
    runs.push({
      id: i + 1,
      jobId,
      title: `Job ${jobId}`,
      areaId: 1 + (jobId % 3),
      area: `Area ${jobId % 3}`,
      isFlow,
      flowRunId: parent?.id ?? null,
      within: parent ? [parent.jobId, ...parent.within] : [],
      state,
      agent: hasStarted && !isFlow ? `machine${pick(3)}` : null,
      pool: pick(4) === 0 ? null : `pool${pick(2)}`,
      slots: 1 + pick(2),
      createdAtMs: at,
      readyAtMs,
      startedAtMs,
      endedAtMs:
        startedAtMs !== null && durationMs !== null ? startedAtMs + durationMs : state === 'skipped' ? at : null,
      durationMs,
      dueAtMs: pick(2) === 0 ? at + pick(50_000) * 1000 : null,
      foreseenAtMs: pick(2) === 0 ? at + pick(40_000) * 1000 : null,
      reason: `Exit code ${pick(3)}.`,
    })
  }
  return runs
}

const inPeriod = (run: RunFact): boolean => run.createdAtMs >= period.fromMs && run.createdAtMs < period.toMs
function made(taker: RunTaker<Section[]>, runs: readonly RunFact[]): Section[] {
  for (const run of runs) taker.take(run)
  return taker.finish()
}
const figure = (sections: Section[], label: string): Cell | undefined =>
  sections.flatMap(({ figures }) => figures).find((one) => one.label === label)?.value
const tableOf = (sections: Section[], title: string): (readonly Cell[])[] =>
  sections
    .flatMap(({ tables }) => tables)
    .find((one) => one.title === title)
    ?.rows.map(({ cells }) => cells) ?? []
const mean = (all: readonly number[]): number | null =>
  all.length === 0 ? null : all.reduce((sum, one) => sum + one, 0) / all.length
const lengthsOf = (runs: readonly RunFact[]): number[] => runs.flatMap(({ durationMs }) => durationMs ?? [])

const SEEDS = [1, 2, 3, 4, 5, 6]

describe.each(SEEDS)('history %i', (seed) => {
  const runs = history(seed)
  const own = runs.filter((run) => inPeriod(run) && run.flowRunId === null)

  it('runs by day: every count is that of plain loops', () => {
    const sections = made(runsByDay(frame, { details: true }), runs.filter(inPeriod))
    const count = (list: readonly RunFact[], ...states: string[]): number =>
      list.filter(({ state }) => states.includes(state)).length
    const cells = (list: readonly RunFact[]): Cell[] => {
      const decided = count(list, 'succeeded', 'failed', 'lost')
      return [
        list.length,
        count(list, 'succeeded'),
        count(list, 'failed'),
        count(list, 'lost'),
        count(list, 'cancelled'),
        count(list, 'skipped'),
        count(list, 'waiting', 'ready', 'running'),
        decided === 0 ? null : count(list, 'succeeded') / decided,
        mean(lengthsOf(list)),
        lengthsOf(list).length === 0 ? null : Math.max(...lengthsOf(list)),
      ]
    }
    expect(figure(sections, 'Runs')).toBe(own.length)
    for (const [day, ...rest] of tableOf(sections, 'By day'))
      expect([day, ...rest]).toEqual([day, ...cells(own.filter((run) => isoDay(dayIn(ZONE, run.createdAtMs)) === day))])
    expect(tableOf(sections, 'By day')).toHaveLength(7)
    for (const [title, area, ...rest] of tableOf(sections, 'By job'))
      expect([title, area, ...rest]).toEqual([title, area, ...cells(own.filter((run) => run.title === title))])
    for (const [area, ...rest] of tableOf(sections, 'By area'))
      expect(rest).toEqual(cells(own.filter((run) => run.area === area)))
    for (const [machine, ...rest] of tableOf(sections, 'By machine')) {
      const there = runs.filter((run) => inPeriod(run) && !run.isFlow && run.agent === machine)
      expect(rest).toEqual([...cells(there), lengthsOf(there).reduce((sum, ms) => sum + ms, 0)])
    }
    expect(tableOf(sections, 'Runs').map(([number]) => number)).toEqual(own.map(({ id }) => `#${id}`))
  })

  it('failures: counts, causes and times to repair are those of plain loops', () => {
    const sections = made(failures(frame), runs.filter(inPeriod))
    const bad = own.filter(({ state }) => state === 'failed' || state === 'lost')
    expect(figure(sections, 'Failures')).toBe(bad.length)
    const repairs: number[] = []
    for (const jobId of new Set(own.map((run) => run.jobId))) {
      let since: number | null = null
      for (const run of own.filter((one) => one.jobId === jobId)) {
        const end = run.endedAtMs ?? run.createdAtMs
        if (run.state === 'succeeded' && since !== null && end >= since) {
          repairs.push(end - since)
          since = null
        } else if (bad.includes(run)) since ??= end
      }
    }
    expect(figure(sections, 'To repair')).toBe(mean(repairs))
    expect(tableOf(sections, 'By cause').reduce((sum, [, n]) => sum + Number(n), 0)).toBe(bad.length)
    expect(
      tableOf(sections, 'By job').reduce((sum, [, , , failed, lost]) => sum + Number(failed) + Number(lost), 0),
    ).toBe(bad.length)
  })

  it('deadlines: what was in time, late and open is that of plain loops', () => {
    const sections = made(deadlines(frame), runs.filter(inPeriod))
    const due = own.filter(({ dueAtMs, state }) => dueAtMs !== null && state !== 'cancelled' && state !== 'skipped')
    const kept = due.filter(({ endedAtMs, dueAtMs }) => endedAtMs !== null && endedAtMs <= (dueAtMs ?? 0))
    const late = due.filter((run) => !kept.includes(run) && (run.endedAtMs !== null || (run.dueAtMs ?? 0) <= NOW))
    expect([figure(sections, 'In time'), figure(sections, 'Late'), figure(sections, 'Not yet due')]).toEqual([
      kept.length,
      late.length,
      due.length - kept.length - late.length,
    ])
    const off = [...kept, ...late].flatMap((run) =>
      run.foreseenAtMs === null || run.endedAtMs === null ? [] : [Math.abs(run.foreseenAtMs - run.endedAtMs)],
    )
    expect(figure(sections, 'The forecast was off by')).toBeCloseTo(mean(off) ?? 0, 3)
  })

  it('load: slots in use are those of looking at every minute', () => {
    // Whole minutes, so that looking once a minute sees everything.
    const whole = runs.map((run) => ({
      ...run,
      startedAtMs: run.startedAtMs && Math.floor(run.startedAtMs / 60_000) * 60_000,
      endedAtMs: run.endedAtMs && Math.ceil(run.endedAtMs / 60_000) * 60_000,
    }))
    const sections = made(load(frame, [{ name: 'pool0', slots: 4 }]), whole)
    let sum = 0
    let most = 0
    let minutes = 0
    for (let at = period.fromMs; at < period.toMs; at += 60_000, minutes++) {
      const level = whole
        .filter(
          (run) => !run.isFlow && run.startedAtMs !== null && run.startedAtMs <= at && (run.endedAtMs ?? NOW) > at,
        )
        .reduce((slots, run) => slots + run.slots, 0)
      sum += level
      most = Math.max(most, level)
    }
    expect(figure(sections, 'Slots in use')).toBeCloseTo(sum / minutes, 6)
    expect(figure(sections, 'Most at once')).toBe(most)
    expect(tableOf(sections, 'By hour of the day')).toHaveLength(24)
  })

  it('worth: hours and money are those of plain loops, and no step counts beside its flow', () => {
    const said: Record<number, WorthTerm[]> = {
      1: [{ since: null, minutes: 10, rate: null, runCost: 0.5 }],
      2: [
        { since: null, minutes: 6, rate: 20, runCost: null },
        { since: '2026-10-25', minutes: 7, rate: null, runCost: null },
      ],
      21: [{ since: null, minutes: 90, rate: 40, runCost: 2 }],
    }
    const ofAreas: WorthTerm[] = [
      { since: null, minutes: null, rate: 30, runCost: null },
      { since: '2026-10-24', minutes: null, rate: 31, runCost: null },
    ]
    const book: WorthBook = {
      saidOf: (id) => [said[id] ?? [], ofAreas],
      hasOwn: (id) => id in said,
      madeOf: (id) => (id === 21 ? { hours: 5, rate: 40, on: '2026-10-23' } : null),
      byOf: (id) => `person${id % 2}`,
    }
    const before = periodBefore(SPEC, ZONE, NOW)
    const sections = made(worth(frame, before, book), runs)
    let hours = 0
    let money = 0
    let cost = 0
    let n = 0
    for (const run of runs.filter(inPeriod)) {
      if (run.state !== 'succeeded' || !(run.jobId in said) || run.within.some((flow) => flow in said)) continue
      const day = isoDay(dayIn(ZONE, run.createdAtMs))
      const areaRate = day >= '2026-10-24' ? 31 : 30
      const [minutes, rate, runCost] =
        run.jobId === 1 ? [10, areaRate, 0.5] : run.jobId === 2 ? [day >= '2026-10-25' ? 7 : 6, 20, 0] : [90, 40, 2]
      n++
      hours += minutes / 60
      money += (minutes / 60) * rate
      cost += runCost
    }
    expect(figure(sections, 'Runs that succeeded')).toBe(n)
    expect(figure(sections, 'Hours saved')).toBeCloseTo(hours, 8)
    expect(figure(sections, 'at the rate of who did it before')).toBeCloseTo(money, 8)
    expect(figure(sections, 'less what these runs cost')).toBeCloseTo(-cost, 8)
    const madeCost = runs.some(
      (run) =>
        inPeriod(run) &&
        run.jobId === 21 &&
        ['succeeded', 'failed', 'lost'].includes(run.state) &&
        run.within.every((flow) => !(flow in said)),
    )
      ? 200
      : 0
    expect(figure(sections, 'Worth')).toBeCloseTo(money - cost - madeCost, 8)
    expect(tableOf(sections, 'By area').reduce((sum, [, , , value]) => sum + Number(value), 0)).toBeCloseTo(
      money - cost,
      8,
    )
  })
})

it('terms: the last that was said by a day, of the job before its areas; nothing without minutes', () => {
  const own = [
    { since: '2026-10-01', minutes: 6, rate: null, runCost: null },
    { since: null, minutes: 5, rate: 12, runCost: null },
  ]
  const area = [{ since: '2026-09-01', minutes: 60, rate: 30, runCost: 1 }]
  expect(termsOn([own, area], '2026-10-01')).toEqual({ minutes: 6, rate: 12, runCost: 1 })
  expect(termsOn([own, area], '2026-09-30')).toEqual({ minutes: 5, rate: 12, runCost: 1 })
  expect(termsOn([own, area], '2026-08-31')).toEqual({ minutes: 5, rate: 12, runCost: 0 })
  expect(termsOn([[], area], '2026-08-31')).toBeNull()
})

it('use by hour: what ends when another begins was never beside it', () => {
  const hour = { fromMs: 0, toMs: HOUR }
  expect(
    slotsByHour(
      [
        [-5, 2],
        [HOUR / 2, -2],
        [HOUR / 2, 2],
        [HOUR, -2],
      ],
      [hour, { fromMs: HOUR, toMs: 2 * HOUR }],
    ),
  ).toEqual([
    { meanSlots: 2, peak: 2 },
    { meanSlots: 0, peak: 0 },
  ])
})

it('queues: arrivals and endings each by their own instant', () => {
  const random = seededRandom(9)
  const items: ItemFact[] = Array.from({ length: 400 }, (_, i) => {
    const cameAtMs = period.fromMs - 3 * 24 * HOUR + random() * 12 * 24 * HOUR
    const state = (['waiting', 'done', 'rejected', 'failed', 'withdrawn'] as const)[i % 5] ?? 'done'
    const isOver = state !== 'waiting'
    return {
      queueId: 1 + (i % 2),
      queue: `Queue ${1 + (i % 2)}`,
      state,
      cameAtMs,
      endedAtMs: isOver ? cameAtMs + random() * 40 * HOUR : null,
      handledMs: isOver ? random() * 90_000 : null,
      waitedMs: isOver ? random() * HOUR : null,
    }
  })
  const taker = queues(frame)
  for (const item of items) taker.take(item)
  const sections = taker.finish()
  const within = (ms: number | null): boolean => ms !== null && ms >= period.fromMs && ms < period.toMs
  expect(figure(sections, 'Arrived')).toBe(items.filter(({ cameAtMs }) => within(cameAtMs)).length)
  for (const [label, state] of [
    ['Done', 'done'],
    ['Rejected', 'rejected'],
    ['Failed', 'failed'],
    ['Withdrawn', 'withdrawn'],
  ])
    expect(figure(sections, label as string)).toBe(
      items.filter((item) => item.state === state && within(item.endedAtMs)).length,
    )
  expect(figure(sections, 'Handling time')).toBeCloseTo(
    mean(items.filter(({ endedAtMs }) => within(endedAtMs)).map(({ handledMs }) => handledMs ?? 0)) ?? 0,
    6,
  )
})

it('schedules: what starts too often stands first; what is off counts for nothing', () => {
  const one = {
    id: 1,
    title: 'A',
    job: 'J',
    area: 'X',
    enabled: true,
    says: 'daily',
    where: 'pool all',
    machines: 3,
    perDay: 2,
    load: 6,
    isTooOften: false,
    lastState: 'failed',
    nextAtMs: NOW,
  }
  const taker = schedules()
  for (const schedule of [
    one,
    { ...one, id: 2, title: 'B', isTooOften: true, load: 60 },
    { ...one, id: 3, title: 'C', enabled: false, load: 600 },
  ])
    taker.take(schedule)
  const sections = taker.finish()
  expect(figure(sections, 'Runs a day')).toBe(66)
  expect(figure(sections, 'Too often on too many')).toBe(1)
  expect(sections.map(({ title }) => title)).toEqual(['In all', 'Too often on too many', 'All schedules'])
  expect(tableOf(sections, 'All schedules').map(([title]) => title)).toEqual(['C', 'B', 'A'])
})
