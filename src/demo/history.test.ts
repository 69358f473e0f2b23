import { broughtInputs } from '@/core/events/values'
import type { TimeRule } from '@/core/timing/rule'
import { REFUNDS } from './refunds'
import { Timings, type TriggerTiming } from '@/core/bundle/timings'
import { checkBundle } from '@/core/bundle/check'
import { slugOf } from '@/core/schema/slug'
import { isEnd } from '@/core/flow/state'
import { SHIPPED_HOLIDAYS } from '@/core/calendar/holiday-data'
import { jobDefinitionSchema } from '@/core/work/job'
import { resolveInputs, type DefaultSource } from '@/core/work/inputs'
import { bundleFlow, flowDefinitionSchema } from '@/core/work/flow'
import { triggerDefinitionSchema } from '@/core/work/trigger'
import { ROLES } from '@/core/people/roles'
import { FLOWS } from './flows'
import { makeHistory, runsInTheLab, type Past, type PastRun, type PastAttempt } from './history'
import { perform } from './play'
import { JOBS, MACHINES, PEOPLE, POOLS, ROBOTS, VESSELS } from './scenario'
import { isRobotTarget } from '@/core/dispatch'
import { sharedOf } from './shared'
import { demoCalendars, TRIGGERS } from './timing'

const TO = Date.parse('2027-04-02T09:00:00Z')
const DAYS = 12
const FROM = TO - DAYS * 86_400_000
const SEED = 7

let past: Past
beforeAll(() => {
  past = makeHistory(FROM, TO, SEED)
})
const attempts = (): PastAttempt[] => past.done.flatMap((run) => run.attempts)

/** What an event would bring, made up. */
const tried = ({ with: values = {}, definition }: (typeof TRIGGERS)[number]): Record<string, string> => ({
  ...broughtInputs(values, { values: { run: '1', state: 'failed' }, body: { data: { vessel: VESSELS[0] } } }).given,
  ...(definition.file ? { file: '/in/x.csv', size: '1' } : {}),
})

describe('the demo’s definitions', () => {
  it('are what a person could save: jobs, flows, inputs, targets, triggers', () => {
    const titles = new Map(JOBS.map((job) => [job.title, job]))
    expect(titles.size).toBe(JOBS.length)
    for (const job of JOBS) {
      const definition = jobDefinitionSchema.parse(job.definition)
      if ('pool' in definition.target) expect(Object.keys(POOLS)).toContain(definition.target.pool)
    }
    for (const trigger of TRIGGERS) {
      triggerDefinitionSchema.parse({ ...trigger.definition, with: trigger.with ?? {} })
      const { inputs } = trigger.isFlow
        ? flowDefinitionSchema.parse(FLOWS.find(({ title }) => title === trigger.job)?.definition)
        : jobDefinitionSchema.parse(titles.get(trigger.job)?.definition)
      expect([
        trigger.title,
        resolveInputs(inputs, tried(trigger), (source) => sharedOf(source as DefaultSource)).faults,
      ]).toEqual([trigger.title, []])
    }
    expect(new Set(TRIGGERS.map(({ title }) => title)).size).toBe(TRIGGERS.length)
    expect(new Set(PEOPLE.map(({ role }) => role)).size).toBe(ROLES.length)
  })

  it('make a bundle without a fault', () => {
    const calendars = demoCalendars(new Date(TO)).map(({ slug, title, rule }) => ({ id: slug, title, days: rule }))
    const triggers = TRIGGERS.map(({ definition, job, isFlow }, i) => ({
      id: `t${i}`,
      start: isFlow ? { flow: slugOf(job) } : { job: slugOf(job) },
      ...definition,
    }))
    const jobs = JOBS.map(({ title }) => ({ id: slugOf(title) }))
    const flows = FLOWS.map(({ slug, definition }) => bundleFlow(slug, flowDefinitionSchema.parse(definition)))
    const queues = [{ id: REFUNDS.slug }]
    const checked = checkBundle({ format: 'bugle-bundle/1', calendars, queues, jobs, flows, triggers })
    expect(checked.ok ? [] : checked.faults).toEqual([])
  })

  it('show the trouble worth seeing', () => {
    const rules = TRIGGERS.map(({ definition }) => triggerDefinitionSchema.parse(definition))
    const at2 = rules.filter(({ time }) => time && 'at' in time && time.at.includes('02:00'))
    expect(at2.length).toBeGreaterThanOrEqual(4)
    expect(
      rules.some(({ spread, time }) => spread === 'each' && time && 'every' in time && time.every.step === 'PT15M'),
    ).toBe(true)
    expect(MACHINES.filter(({ version }) => version !== undefined)).toHaveLength(1)
    const lengthIn = (weeks: number): number => {
      const lengths = Array.from({ length: 300 }, (_, i) => perform('Name check', [i], weeks).seconds)
      return lengths.reduce((a, b) => a + b, 0) / lengths.length
    }
    expect(lengthIn(8)).toBeGreaterThan(lengthIn(0) * 1.3)
  })
})

describe('the demo’s past', () => {
  it('is the same for the same seed, and another for another', () => {
    const short = (seed: number): string => JSON.stringify(makeHistory(TO - 86_400_000, TO, seed))
    expect(short(3)).toBe(short(3))
    expect(short(3)).not.toBe(short(4))
  })

  it('has one run for each occurrence of each trigger, and no other by a trigger', () => {
    const calendars = demoCalendars(new Date(TO)).map(({ slug, title, rule }) => ({ id: slug, title, days: rule }))
    const timings = new Timings(calendars, SHIPPED_HOLIDAYS, 'Europe/London')
    const all = [
      ...[...past.done, ...past.open, ...past.flows, ...past.openFlows].map((run) => ({
        title: run.trigger?.title,
        atMs: run.createdAtMs,
      })),
      ...past.leftOut.map(({ trigger, atMs }) => ({ title: trigger, atMs })),
    ]
    for (const { title, definition, enabled, job, sinceDays, past: before } of TRIGGERS) {
      const mine = all.filter((one) => one.title === title).map(({ atMs }) => atMs)
      const target = JOBS.find((each) => each.title === job)?.definition.target
      const isReal = FLOWS.find((flow) => flow.title === job)?.definition.steps?.some(runsInTheLab) === true
      const time = before ?? (definition.time as TimeRule | undefined)
      if (!time || enabled === false || isReal || (target && 'pool' in target && target.pool === 'lab')) {
        expect([title, mine]).toEqual([title, []])
        continue
      }
      const since = sinceDays === undefined ? FROM : Math.max(FROM, TO - sinceDays * 86_400_000)
      const due = timings
        .schedule({ ...(definition as Omit<TriggerTiming, 'time'>), time })
        .between(since / 1000, TO / 1000)
      const machines = definition.spread === 'each' ? mine.length / Math.max(1, due.length) : 1
      expect([title, Number.isInteger(machines) && machines <= MACHINES.length]).toEqual([title, true])
      const expected = due.flatMap(({ at }) => new Array<number>(machines).fill(at * 1000))
      expect([title, mine.sort((a, b) => a - b)]).toEqual([title, expected])
    }
  })

  it('never has a machine do more at once than it has slots', () => {
    for (const machine of MACHINES) {
      const events = past.done
        // A robot takes no slot of its machine.
        .filter((run) => !isRobotTarget(run.target))
        .flatMap((run) => run.attempts.map((t) => ({ t, slots: run.job.definition.slots ?? 1 })))
        .filter(({ t }) => t.agent === machine.name)
        .flatMap(({ t, slots }) => [
          { at: t.startMs, by: slots },
          { at: t.endMs, by: -slots },
        ])
        .sort((a, b) => a.at - b.at || a.by - b.by)
      let used = 0
      let most = 0
      for (const { by } of events) most = Math.max(most, (used += by))
      expect([machine.name, most <= machine.slots]).toEqual([machine.name, true])
      expect(used).toBe(0)
    }
  })

  it('never has a robot do two things at once', () => {
    for (const { machine } of ROBOTS) {
      const its = past.done
        .filter((run) => isRobotTarget(run.target))
        .flatMap((run) => run.attempts.filter((t) => t.agent === machine))
        .sort((a, b) => a.startMs - b.startMs)
      expect(its.filter((t, i) => t.startMs < (its[i - 1]?.endMs ?? 0))).toEqual([])
    }
  })

  it('hangs together: tries follow each other, output lies within them, the last decides', () => {
    // Compared as one list: an expectation for each of a few hundred thousand facts takes long.
    const wrong = past.done.filter(({ attempts: its, job, createdAtMs }) => {
      const mostTries = (job.definition.retries ?? 0) + 1
      const last = its.at(-1)
      const isInOrder = its.every(
        (one, i) =>
          one.startMs >= (its[i - 1]?.endMs ?? createdAtMs) &&
          (one === last || one.fails) &&
          one.lines.every(({ atMs }) => atMs >= one.startMs && atMs <= one.endMs),
      )
      const isDecided = last && (last.fails ? its.length === mostTries : its.length <= mostTries)
      return !isInOrder || !isDecided || last.endMs > TO
    })
    expect(wrong).toEqual([])
  })

  it('leaves a start out where the run before went on and the trigger skips, and nowhere else', () => {
    const long = makeHistory(TO - 50 * 86_400_000, TO, SEED)
    const runs = new Map(
      [...long.done.map((run) => ({ ...run, endMs: run.attempts.at(-1)?.endMs ?? null })), ...long.flows].map((run) => [
        `${run.trigger?.title} ${run.createdAtMs} ${run.trigger?.forAgent}`,
        run,
      ]),
    )
    expect(long.leftOut.length).toBeGreaterThan(0)
    for (const { trigger, atMs, otherAtMs, forAgent } of long.leftOut) {
      const other = runs.get(`${trigger} ${otherAtMs} ${forAgent}`)
      expect(other?.trigger?.skips).toBe(true)
      expect(other?.endMs ?? 0).toBeGreaterThan(atMs)
    }
  })

  it('has flow runs whose steps began and ended within them, and ended as their runs did', () => {
    expect(past.flows.length).toBeGreaterThan(100)
    const runsOf = new Map(past.flows.map((flow) => [flow, [] as PastRun[]]))
    for (const run of past.done) if (run.step) runsOf.get(run.step.flow)?.push(run)
    for (const flow of past.flows) {
      expect(flow.endMs).toBeLessThanOrEqual(TO)
      for (const { index } of flow.plan.steps) {
        const time = flow.times.get(index)
        const isWithin = time && time.startMs >= flow.createdAtMs && (time.endMs ?? Infinity) <= (flow.endMs ?? 0)
        if (!isWithin || !isEnd(flow.run.result(index))) expect(flow.plan.steps[index]).toBe('ended within its flow')
      }
      for (const { step, attempts: its } of runsOf.get(flow) ?? []) {
        const last = its.at(-1) as PastAttempt
        expect(flow.run.result(step?.index ?? -1).state).toBe(last.fails ? 'failed' : 'succeeded')
        expect(last.endMs).toBe(flow.times.get(step?.index ?? -1)?.endMs)
      }
    }
    const states = new Set(past.flows.map(({ run }) => run.state))
    expect(states).toEqual(new Set(['succeeded', 'failed']))
  })

  it('has failures, but not many, and each says why on standard error', () => {
    const failed = attempts().filter(({ fails }) => fails)
    expect(failed.length).toBeGreaterThan(5)
    expect(failed.length / attempts().length).toBeLessThan(0.1)
    for (const { lines } of failed)
      expect(lines.at(-1)).toMatchObject({ stream: 'e', text: expect.stringMatching(/\S/) })
  })

  it('leaves to the present what runs or waits at its end', () => {
    for (const { createdAtMs } of past.open) expect(createdAtMs).toBeLessThan(TO)
    const kept = new Set(past.done.map((run) => `${run.trigger?.title} ${run.createdAtMs} ${run.trigger?.forAgent}`))
    for (const run of past.open)
      if (run.trigger) expect(kept.has(`${run.trigger.title} ${run.createdAtMs} ${run.trigger.forAgent}`)).toBe(false)
  })
})
