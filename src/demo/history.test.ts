import { Timings, type TriggerTiming } from '@/core/bundle/timings'
import { checkBundle } from '@/core/bundle/check'
import { SHIPPED_HOLIDAYS } from '@/core/calendar/holiday-data'
import { jobDefinitionSchema } from '@/core/work/job'
import { resolveInputs } from '@/core/work/inputs'
import { triggerDefinitionSchema } from '@/core/work/trigger'
import { makeHistory, type Past, type PastTry } from './history'
import { perform } from './play'
import { JOBS, MACHINES, PEOPLE, POOLS } from './scenario'
import { demoCalendars, TRIGGERS } from './timing'

const TO = Date.parse('2027-04-02T09:00:00Z')
const DAYS = 12
const FROM = TO - DAYS * 86_400_000
const SEED = 7

let past: Past
beforeAll(() => {
  past = makeHistory(FROM, TO, SEED)
})
const tries = (): PastTry[] => past.done.flatMap((run) => run.tries)

describe('the demo’s definitions', () => {
  it('are what a person could save: jobs, inputs, targets, triggers', () => {
    const titles = new Map(JOBS.map((job) => [job.title, job]))
    expect(titles.size).toBe(JOBS.length)
    for (const job of JOBS) {
      const definition = jobDefinitionSchema.parse(job.definition)
      if ('pool' in definition.target) expect(Object.keys(POOLS)).toContain(definition.target.pool)
    }
    for (const trigger of TRIGGERS) {
      const job = titles.get(trigger.job)
      expect([trigger.title, job?.title]).toEqual([trigger.title, trigger.job])
      triggerDefinitionSchema.parse({ ...trigger.definition, with: trigger.with ?? {} })
      const { inputs } = jobDefinitionSchema.parse(job?.definition)
      expect([trigger.title, resolveInputs(inputs, trigger.with ?? {}).faults]).toEqual([trigger.title, []])
    }
    expect(new Set(TRIGGERS.map(({ title }) => title)).size).toBe(TRIGGERS.length)
    expect(new Set(PEOPLE.map(({ role }) => role)).size).toBe(4)
  })

  it('make a bundle without a fault', () => {
    const calendars = demoCalendars(new Date(TO)).map(({ slug, title, rule }) => ({ id: slug, title, days: rule }))
    const triggers = TRIGGERS.map(({ definition, job }, i) => ({
      id: `t${i}`,
      start: { job: slugOf(job) },
      ...definition,
    }))
    const jobs = JOBS.map(({ title }) => ({ id: slugOf(title) }))
    const checked = checkBundle({ format: 'bugle-bundle/1', calendars, jobs, triggers })
    expect(checked.ok ? [] : checked.faults).toEqual([])
  })

  it('show the trouble worth seeing', () => {
    const rules = TRIGGERS.map(({ definition }) => triggerDefinitionSchema.parse(definition))
    const at2 = rules.filter(({ time }) => 'at' in time && time.at.includes('02:00'))
    expect(at2.length).toBeGreaterThanOrEqual(4)
    expect(rules.some(({ spread, time }) => spread === 'each' && 'every' in time && time.every.step === 'PT15M')).toBe(
      true,
    )
    expect(MACHINES.filter(({ version }) => version !== undefined)).toHaveLength(1)
    const lengthIn = (weeks: number): number => {
      const lengths = Array.from({ length: 300 }, (_, i) => perform('Name check', [i], weeks).seconds)
      return lengths.reduce((a, b) => a + b, 0) / lengths.length
    }
    expect(lengthIn(8)).toBeGreaterThan(lengthIn(0) * 1.3)
  })
})
const slugOf = (title: string): string => title.toLowerCase().replace(/[^a-z0-9]+/g, '-')

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
      ...[...past.done, ...past.open].map((run) => ({ title: run.trigger?.title, atMs: run.createdAtMs })),
      ...past.leftOut.map(({ trigger, atMs }) => ({ title: trigger, atMs })),
    ]
    for (const { title, definition, enabled, job, sinceDays } of TRIGGERS) {
      const mine = all.filter((one) => one.title === title).map(({ atMs }) => atMs)
      const target = JOBS.find((each) => each.title === job)?.definition.target
      if (enabled === false || (target && 'pool' in target && target.pool === 'lab')) {
        expect([title, mine]).toEqual([title, []])
        continue
      }
      const since = sinceDays === undefined ? FROM : Math.max(FROM, TO - sinceDays * 86_400_000)
      const due = timings.schedule(definition as TriggerTiming).between(since / 1000, TO / 1000)
      const machines = definition.spread === 'each' ? mine.length / Math.max(1, due.length) : 1
      expect([title, Number.isInteger(machines) && machines <= MACHINES.length]).toEqual([title, true])
      const expected = due.flatMap(({ at }) => new Array<number>(machines).fill(at * 1000))
      expect([title, mine.sort((a, b) => a - b)]).toEqual([title, expected])
    }
  })

  it('never has a machine do more at once than it has slots', () => {
    for (const machine of MACHINES) {
      const events = past.done
        .flatMap((run) => run.tries.map((t) => ({ t, slots: run.job.definition.slots ?? 1 })))
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

  it('hangs together: tries follow each other, output lies within them, the last decides', () => {
    for (const run of past.done) {
      const retries = run.job.definition.retries ?? 0
      expect(run.tries.length).toBeGreaterThan(0)
      expect(run.tries.length).toBeLessThanOrEqual(retries + 1)
      run.tries.forEach((one, i) => {
        expect(one.startMs).toBeGreaterThanOrEqual(run.tries[i - 1]?.endMs ?? run.createdAtMs)
        expect(one.fails).toBe(i < run.tries.length - 1 ? true : one.fails)
        for (const line of one.lines) expect(line.atMs >= one.startMs && line.atMs <= one.endMs).toBe(true)
      })
      const last = run.tries.at(-1) as PastTry
      if (last.fails) expect(run.tries).toHaveLength(retries + 1)
      expect(last.endMs).toBeLessThanOrEqual(TO)
    }
  })

  it('leaves a start out where the run before went on and the trigger skips, and nowhere else', () => {
    const long = makeHistory(TO - 50 * 86_400_000, TO, SEED)
    const runs = new Map(
      long.done.map((run) => [`${run.trigger?.title} ${run.createdAtMs} ${run.trigger?.forAgent}`, run]),
    )
    expect(long.leftOut.length).toBeGreaterThan(0)
    for (const { trigger, atMs, otherAtMs, forAgent } of long.leftOut) {
      const other = runs.get(`${trigger} ${otherAtMs} ${forAgent}`)
      expect(other?.trigger?.skips).toBe(true)
      expect(other?.tries.at(-1)?.endMs ?? 0).toBeGreaterThan(atMs)
    }
  })

  it('has failures, but not many, and each says why on standard error', () => {
    const failed = tries().filter(({ fails }) => fails)
    expect(failed.length).toBeGreaterThan(5)
    expect(failed.length / tries().length).toBeLessThan(0.1)
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
