import { holidayFaultIfKnown } from '../calendar/holiday-check'
import { MOST_NESTING } from '../calendar/rule'
import { faultsFrom, pathOf, type Fault, type Path } from '../schema/faults'
import { flowFaults, valueFaults } from './check-flows'
import { triggerFaults } from './check-triggers'
import { depthsOf, loopsOf } from './graph'
import { idsOf, isRaw, rawList, rawRules, rawText, type AddFault, type Raw } from './raw'
import { bundleSchema, type Bundle } from './schema'

export type CheckedBundle =
  { readonly ok: true; readonly bundle: Bundle } | { readonly ok: false; readonly faults: readonly Fault[] }

/** Longer files are not read at all, characters. */
const MOST_CHARACTERS = 64 * 1024 * 1024
/** Calendars that refer to calendars that refer to … */
const MOST_CHAIN = 500
const MOST_FAULTS = 1000

/** Reads a bundle file and checks all of it; every fault is found, each with its path. */
export function checkBundleText(text: string): CheckedBundle {
  if (text.length > MOST_CHARACTERS) return fail('', 'The file is longer than 64 million characters.')
  let raw: unknown
  try {
    raw = JSON.parse(text.startsWith('\uFEFF') ? text.slice(1) : text)
  } catch (error) {
    return fail('', `The file is not JSON: ${(error as Error).message}.`)
  }
  return checkFile(raw)
}

function fail(path: string, message: string): CheckedBundle {
  return { ok: false, faults: [{ path, message }] }
}

/** Checks all that a file holds, as an import into an empty server does: shape, references, and what steps give to their jobs and flows. */
export const checkFile = (raw: unknown): CheckedBundle => checkBundle(raw, valueFaults)

/**
 * Checks shape and references, independently, so that all faults come at once. `more`: what else is to be looked at once the shape is sound.
 */
export function checkBundle(raw: unknown, more: (bundle: Bundle) => readonly Fault[] = () => []): CheckedBundle {
  const faults: Fault[] = []
  const add = (path: Path, message: string): void => void faults.push({ path: pathOf(path), message })
  const roots = isRaw(raw) ? [...ruleRoots(raw)] : []
  const tooDeep = new Set<unknown>()
  for (const { value, path } of roots) {
    for (const { depth } of rawRules(value, MOST_NESTING + 1)) {
      if (depth <= MOST_NESTING) continue
      add(path, `This rule nests deeper than ${MOST_NESTING}. Make calendars of its parts and refer to them.`)
      tooDeep.add(value)
      break
    }
  }
  const parsed = bundleSchema.safeParse(tooDeep.size > 0 ? without(raw, tooDeep) : raw)
  if (!parsed.success) faults.push(...faultsFrom(parsed.error, raw))
  const known = new Set(faults.map((fault) => fault.path))
  protoFaults(raw, (path, message) => void (known.has(pathOf(path)) || add(path, message)))
  if (isRaw(raw)) {
    idFaults(raw, add)
    ruleFaults(raw, roots, add)
    calendarLoops(raw, add)
    systemFaults(raw, add)
    workFaults(raw, add)
    flowFaults(raw, add)
    triggerFaults(raw, add)
  }
  if (parsed.success) faults.push(...more(parsed.data))
  if (parsed.success && faults.length === 0) return { ok: true, bundle: parsed.data }
  const seen = new Set<string>()
  const single = faults.filter(
    ({ path, message }) => !seen.has(`${path}\n${message}`) && seen.add(`${path}\n${message}`),
  )
  if (single.length > MOST_FAULTS)
    return {
      ok: false,
      faults: [
        ...single.slice(0, MOST_FAULTS),
        { path: '', message: `And ${single.length - MOST_FAULTS} more faults.` },
      ],
    }
  return { ok: false, faults: single }
}

/** Where day rules begin. */
function* ruleRoots(raw: Raw): Generator<{ value: unknown; path: Path }> {
  for (const [i, calendar] of rawList(raw.calendars).entries())
    if (isRaw(calendar)) yield { value: calendar.days, path: ['calendars', i, 'days'] }
  for (const [i, trigger] of rawList(raw.triggers).entries())
    for (const key of ['on', 'notOn']) if (isRaw(trigger)) yield { value: trigger[key], path: ['triggers', i, key] }
  for (const [i, flow] of rawList(raw.flows).entries())
    for (const [k, step] of rawList(isRaw(flow) ? flow.steps : undefined).entries())
      if (isRaw(step) && isRaw(step.gate))
        yield { value: step.gate.days, path: ['flows', i, 'steps', k, 'gate', 'days'] }
  // A day by default names a calendar as a rule does.
  for (const list of ['jobs', 'flows'])
    for (const [i, work] of rawList(raw[list]).entries())
      for (const [k, input] of rawList(isRaw(work) ? work.inputs : undefined).entries())
        if (isRaw(input) && isRaw(input.default))
          yield { value: input.default, path: [list, i, 'inputs', k, 'default'] }
}

/** The file with rules that nest too deep replaced by a harmless one: nothing that recurses may see them. */
function without(raw: unknown, rules: ReadonlySet<unknown>): unknown {
  return JSON.parse(JSON.stringify(raw, (_, value: unknown) => (rules.has(value) ? { dates: [] } : value)))
}

/** `__proto__` is a key like any other, and known nowhere. */
function protoFaults(raw: unknown, add: AddFault): void {
  const stack: { value: unknown; path: Path }[] = [{ value: raw, path: [] }]
  while (stack.length > 0) {
    const { value, path } = stack.pop() as (typeof stack)[number]
    if (typeof value !== 'object' || value === null || path.length > 2 * MOST_NESTING + 20) continue
    if (Array.isArray(value))
      value.forEach((inner, i) => typeof inner === 'object' && stack.push({ value: inner, path: [...path, i] }))
    else
      for (const [key, inner] of Object.entries(value)) {
        if (key === '__proto__') add([...path, key], `The key ${key} is not known here.`)
        else if (typeof inner === 'object') stack.push({ value: inner, path: [...path, key] })
      }
  }
}

const LISTS = [
  'calendars',
  'pools',
  'agents',
  'locks',
  'robots',
  'queues',
  'systems',
  'jobs',
  'flows',
  'triggers',
  'groups',
  'areas',
  'views',
  'reports',
] as const

function idFaults(raw: Raw, add: AddFault): void {
  for (const list of LISTS) duplicates(rawList(raw[list]), [list], add)
  for (const [i, flow] of rawList(raw.flows).entries()) {
    if (!isRaw(flow)) continue
    duplicates(rawList(flow.steps), ['flows', i, 'steps'], add)
    duplicates(rawList(flow.groups), ['flows', i, 'groups'], add)
  }
}

function duplicates(list: readonly unknown[], path: Path, add: AddFault): void {
  const seen = new Set<string>()
  for (const [i, item] of list.entries()) {
    const id = isRaw(item) ? rawText(item.id) : undefined
    if (id === undefined) continue
    if (seen.has(id)) add([...path, i, 'id'], `The id ${id} stands there twice.`)
    seen.add(id)
  }
}

function ruleFaults(raw: Raw, roots: readonly { value: unknown; path: Path }[], add: AddFault): void {
  const calendars = idsOf(raw.calendars)
  const known = new Map<string, ReturnType<typeof holidayFaultIfKnown>>()
  for (const root of roots) {
    for (const { value, path } of rawRules(root.value, MOST_NESTING)) {
      const id = rawText(value.calendar)
      if (id !== undefined && !calendars.has(id))
        add([...root.path, ...path, 'calendar'], `There is no calendar ${id} in this file.`)
      const { holidays } = value
      if (!isRaw(holidays)) continue
      const [country, region] = [rawText(holidays.country), rawText(holidays.region)]
      if (country === undefined || (holidays.region !== undefined && region === undefined)) continue
      const key = `${country} ${region}`
      if (!known.has(key)) known.set(key, holidayFaultIfKnown({ country, region }))
      const fault = known.get(key)
      if (fault) add([...root.path, ...path, 'holidays', fault.key], fault.message)
    }
  }
}

function calendarLoops(raw: Raw, add: AddFault): void {
  const list = rawList(raw.calendars)
  const ids = idsOf(list)
  const next = list.map((calendar) => {
    const to = new Set<number>()
    if (isRaw(calendar))
      for (const { value } of rawRules(calendar.days, MOST_NESTING)) {
        const at = ids.get(rawText(value.calendar) ?? '')
        if (at !== undefined) to.add(at)
      }
    return [...to]
  })
  const loops = loopsOf(next)
  const idAt = (i: number): string => (list[i] as Raw).id as string
  for (const loop of loops)
    add(['calendars', loop[0] as number], `Calendars refer to each other in a loop: ${loop.map(idAt).join(', ')}.`)
  if (loops.length > 0) return
  const tooLong = depthsOf(next).findIndex((depth) => depth > MOST_CHAIN)
  if (tooLong >= 0)
    add(
      ['calendars', tooLong],
      `From ${idAt(tooLong)} on, more than ${MOST_CHAIN} calendars refer to each other in a chain.`,
    )
}

export const TARGETS = ['pool', 'agent', 'labels', 'robot', 'robotPool', 'robotLabels'] as const

function systemFaults(raw: Raw, add: AddFault): void {
  const [systems, pools] = [idsOf(raw.systems), idsOf(raw.pools)]
  const list = rawList(raw.systems)
  const next = list.map((system, i) => {
    if (!isRaw(system)) return []
    const pool = rawText(system.pool)
    if (pool !== undefined && !pools.has(pool)) add(['systems', i, 'pool'], `There is no pool ${pool} in this file.`)
    return rawList(system.on).flatMap((name, k) => {
      const below = typeof name === 'string' ? systems.get(name) : undefined
      if (typeof name === 'string' && below === undefined)
        add(['systems', i, 'on', k], `There is no system ${name} in this file.`)
      return below ?? []
    })
  })
  for (const loop of loopsOf(next))
    add(
      ['systems', loop[0] as number, 'on'],
      `These run on each other in a ring: ${loop.map((i) => (list[i] as Raw).id as string).join(', ')}.`,
    )
  for (const [i, job] of rawList(raw.jobs).entries()) {
    const system = isRaw(job) ? rawText(job.system) : undefined
    if (system !== undefined && !systems.has(system))
      add(['jobs', i, 'system'], `There is no system ${system} in this file.`)
  }
}

function workFaults(raw: Raw, add: AddFault): void {
  const [pools, locks, queues] = [idsOf(raw.pools), idsOf(raw.locks), idsOf(raw.queues)]
  for (const [i, job] of rawList(raw.jobs).entries()) {
    if (!isRaw(job)) continue
    for (const key of ['pool', 'robotPool']) {
      const pool = rawText(job[key])
      if (pool !== undefined && !pools.has(pool)) add(['jobs', i, key], `There is no pool ${pool} in this file.`)
    }
    const targets = TARGETS.filter((key) => job[key] !== undefined)
    if (targets.length > 1) add(['jobs', i], `A job has one target, but here are ${targets.join(' and ')}.`)
    if (isRaw(job.queues))
      for (const what of ['take', 'add'])
        for (const [k, queue] of rawList(job.queues[what]).entries())
          if (typeof queue === 'string' && !queues.has(queue))
            add(['jobs', i, 'queues', what, k], `There is no queue ${queue} in this file.`)
    if (isRaw(job.locks))
      for (const lock of Object.keys(job.locks))
        if (!locks.has(lock)) add(['jobs', i, 'locks', lock], `There is no lock ${lock} in this file.`)
  }
  const calendars = idsOf(raw.calendars)
  for (const [i, robot] of rawList(raw.robots).entries()) {
    if (!isRaw(robot)) continue
    poolFaults(robot.pools, pools, ['robots', i, 'pools'], add)
    const calendar = rawText(robot.calendar)
    if (calendar !== undefined && !calendars.has(calendar))
      add(['robots', i, 'calendar'], `There is no calendar ${calendar} in this file.`)
  }
  for (const [i, agent] of rawList(raw.agents).entries()) {
    if (!isRaw(agent)) continue
    poolFaults(agent.pools, pools, ['agents', i, 'pools'], add)
    for (const [k, away] of rawList(agent.away).entries())
      if (isRaw(away) && Date.parse(String(away.to)) <= Date.parse(String(away.from)))
        add(['agents', i, 'away', k, 'to'], 'The end of an absence comes after its beginning.')
  }
}

function poolFaults(names: unknown, pools: ReadonlyMap<string, number>, path: Path, add: AddFault): void {
  for (const [k, pool] of rawList(names).entries())
    if (typeof pool === 'string' && !pools.has(pool)) add([...path, k], `There is no pool ${pool} in this file.`)
}
