import { z } from 'zod'
import { checkBundle } from '../bundle/check'
import { instantSchema, type Bundle } from '../bundle/schema'
import { idSchema } from '../calendar/rule'
import { isoDuration, parseDuration } from '../timing/duration'
import { isoInstant } from '../timing/instants'
import { timeOfDaySchema } from '../timing/rule'
import { ForecastFault } from './model'

const whole = z.int('Expected a whole number.').min(1, 'Expected a whole number from 1.').max(100_000)
const ofTrigger = { trigger: idSchema }

/** One change of what a forecast is made of; exactly one key. */
export const changeSchema = z.union(
  [
    z.strictObject({ away: z.strictObject({ agent: idSchema, from: instantSchema, to: instantSchema }) }),
    z.strictObject({ length: z.strictObject({ job: idSchema, times: z.number().positive().max(1000) }) }),
    z.strictObject({
      slots: z.union([z.strictObject({ agent: idSchema, to: whole }), z.strictObject({ pool: idSchema, to: whole })]),
    }),
    z.strictObject({ units: z.strictObject({ lock: idSchema, to: whole }) }),
    z.strictObject({ off: z.strictObject(ofTrigger) }),
    z.strictObject({ at: z.strictObject({ ...ofTrigger, to: z.array(timeOfDaySchema).min(1).max(100) }) }),
    z.strictObject({
      window: z.strictObject({ ...ofTrigger, earliest: timeOfDaySchema, latest: timeOfDaySchema }),
    }),
    z.strictObject({ finishBy: z.strictObject({ ...ofTrigger, to: timeOfDaySchema.nullable() }) }),
    z.strictObject({ add: z.strictObject({ trigger: z.looseObject({ id: idSchema }) }) }),
    z.strictObject({
      extra: z.strictObject({ work: idSchema, at: instantSchema, times: whole.max(1000).default(1) }),
    }),
  ],
  {
    error:
      'Expected exactly one of away, length, slots, units, off, at, window, finishBy, add, extra, with what belongs to it.',
  },
)
export const changesSchema = z.array(changeSchema).max(1000)
export type Change = z.output<typeof changeSchema>

/** A list of the bundle with what one id names put in another way; throws where nothing is called so. */
function replaced<T extends { readonly id: string }>(
  list: readonly T[],
  what: string,
  id: string,
  path: string,
  change: (found: T) => T,
): T[] {
  if (!list.some((each) => each.id === id)) throw new ForecastFault(path, `There is no ${what} ${id} in the file.`)
  return list.map((each) => (each.id === id ? change(each) : each))
}

/** The bundle with these changes made, one after the other. `first`: the place of the first of them. Throws a ForecastFault with the place of the change that cannot be. */
export function withChanges(bundle: Bundle, changes: readonly Change[], first = 0): Bundle {
  const made = changes.reduce((current, change, i) => withChange(current, change, `[${first + i}]`), bundle)
  const checked = checkBundle(JSON.parse(JSON.stringify(made)))
  if (checked.ok) return checked.bundle
  const { path, message } = checked.faults[0] as (typeof checked.faults)[number]
  throw new ForecastFault(path, `With the changes: ${message}`)
}

function withChange(bundle: Bundle, change: Change, at: string): Bundle {
  const onTrigger = (id: string, key: string, edit: (trigger: Bundle['triggers'][number]) => object): Bundle => ({
    ...bundle,
    triggers: replaced(bundle.triggers, 'trigger', id, `${at}.${key}.trigger`, (trigger) => ({
      ...trigger,
      ...edit(trigger),
    })),
  })
  if ('away' in change) {
    const { agent, from, to } = change.away
    return {
      ...bundle,
      agents: replaced(bundle.agents, 'agent', agent, `${at}.away.agent`, (found) => ({
        ...found,
        away: [...found.away, { from, to }],
      })),
    }
  }
  if ('length' in change) return withLength(bundle, change.length, `${at}.length.job`)
  if ('slots' in change) return withSlots(bundle, change.slots, `${at}.slots`)
  if ('units' in change) {
    const { lock, to } = change.units
    return {
      ...bundle,
      locks: replaced(bundle.locks, 'lock', lock, `${at}.units.lock`, (found) => ({ ...found, units: to })),
    }
  }
  if ('off' in change) return onTrigger(change.off.trigger, 'off', () => ({ enabled: false }))
  if ('at' in change) return onTrigger(change.at.trigger, 'at', () => ({ time: { at: change.at.to } }))
  if ('window' in change) {
    const { trigger, ...window } = change.window
    return onTrigger(trigger, 'window', () => ({ window }))
  }
  if ('finishBy' in change) {
    const { trigger, to } = change.finishBy
    return onTrigger(trigger, 'finishBy', () => ({ finishBy: to ?? undefined }))
  }
  if ('add' in change)
    return { ...bundle, triggers: [...bundle.triggers, change.add.trigger as unknown as Bundle['triggers'][number]] }
  return withExtra(bundle, change.extra, `${at}.extra.work`)
}

/** A job takes so many times as long, wherever its length is written. */
function withLength(bundle: Bundle, { job, times }: { job: string; times: number }, path: string): Bundle {
  type Expect = NonNullable<Bundle['jobs'][number]['expect']>
  const longer = (text: string): string => isoDuration(Math.max(1, Math.round((parseDuration(text) ?? 0) * times)))
  const scaled = (expect: Expect | undefined): Expect | undefined => {
    if (expect === undefined) return undefined
    if (typeof expect === 'string') return longer(expect)
    if ('samples' in expect) return { samples: expect.samples.map(longer) }
    return { p50: longer(expect.p50), p90: longer(expect.p90) }
  }
  return {
    ...bundle,
    jobs: replaced(bundle.jobs, 'job', job, path, (found) => ({ ...found, expect: scaled(found.expect) })),
    flows: bundle.flows.map((flow) => ({
      ...flow,
      steps: flow.steps.map((step) => (step.job === job ? { ...step, expect: scaled(step.expect) } : step)),
    })),
  }
}

function withSlots(bundle: Bundle, slots: Extract<Change, { slots: unknown }>['slots'], path: string): Bundle {
  if ('agent' in slots)
    return {
      ...bundle,
      agents: replaced(bundle.agents, 'agent', slots.agent, `${path}.agent`, (found) => ({
        ...found,
        slots: slots.to,
      })),
    }
  const { pool, to } = slots
  if (bundle.agents.some(({ pools }) => pools.includes(pool)))
    throw new ForecastFault(`${path}.pool`, `The slots of ${pool} are those of its agents: change these.`)
  return {
    ...bundle,
    pools: replaced(bundle.pools, 'pool', pool, `${path}.pool`, (found) => ({ ...found, slots: to })),
  }
}

/** Starts by hand at an instant, each as a trigger of its own that fires once. */
function withExtra(
  bundle: Bundle,
  { work, at, times }: Extract<Change, { extra: unknown }>['extra'],
  path: string,
): Bundle {
  const isFlow = bundle.flows.some(({ id }) => id === work)
  if (!isFlow && !bundle.jobs.some(({ id }) => id === work))
    throw new ForecastFault(path, `There is no job or flow ${work} in the file.`)
  const written = isoInstant(Math.floor(Date.parse(at) / 1000))
  const [day, clock] = [written.slice(0, 10), written.slice(11, 19)]
  const taken = new Set(bundle.triggers.map(({ id }) => id))
  const extra: object[] = []
  for (let n = 1; extra.length < times; n++) {
    // The number stands behind what is cut off, or long names would never differ.
    const id = `extra-${work.slice(0, 50)}-${n}`
    if (taken.has(id)) continue
    taken.add(id)
    extra.push({
      id,
      start: isFlow ? { flow: work } : { job: work },
      time: { at: [clock] },
      zone: 'UTC',
      from: day,
      until: day,
      overlap: 'start',
    })
  }
  return { ...bundle, triggers: [...bundle.triggers, ...(extra as Bundle['triggers'])] }
}
