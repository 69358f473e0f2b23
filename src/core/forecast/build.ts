import type { Bundle } from '../bundle/schema'
import { Timings } from '../bundle/timings'
import { SHIPPED_HOLIDAYS } from '../calendar/holiday-data'
import type { Day } from '../calendar/days'
import { isTimed } from '../events/kinds'
import { finishBy } from '../timing/finish-by'
import { ForecastFault, type AgentModel, type Model, type Occurrence, type TriggerModel, type Work } from './model'
import { openModels } from './open'
import { fits, type Server, placeName, type ServerAgent, type ServerRobot } from './server'
import { Works } from './works'

/** More occurrences than this in one stretch are refused. */
const MOST_OCCURRENCES = 200_000

/**
 * What a forecast of this stretch is made of. The bundle was checked. Throws a ForecastFault.
 *
 * @param server what is known beyond a file: agents as they are, measured lengths, and what is open when the stretch begins
 */
export function modelOf(bundle: Bundle, from: number, hours: number, server: Server | null = null): Model {
  const to = from + hours * 3600
  const pools = bundle.pools.map((pool) => ({ id: pool.id, capacity: capacityOf(bundle, pool, server ? 0 : 1) }))
  const agents = agentsOf(bundle, server !== null)
  const timings = new Timings(bundle.calendars, SHIPPED_HOLIDAYS, bundle.zone)
  const works = new Works(bundle, timings, server)
  const triggers = triggersOf(bundle, from, to, timings, works, server)
  const open = server ? openModels(server, bundle, triggers, works) : { open: [], triggers: [] }
  return {
    from,
    to,
    // Runs that go to one agent, or to any with some labels, are no pool's load.
    pools: server ? [...pools, { id: '', capacity: agents.reduce((sum, { slots }) => sum + slots, 0) }] : pools,
    agents: [...agents, ...robotsOf(server, agents)],
    locks: Object.fromEntries([
      ...bundle.locks.map(({ id, units }) => [id, units] as const),
      ...(server?.allowances ?? []).map(({ lock, units }) => [lock, units] as const),
    ]),
    triggers: [...triggers, ...open.triggers],
    facts: server
      ? new Map<string, ServerAgent | ServerRobot>([
          ...server.agents.map((agent) => [agent.name, agent] as const),
          ...(server.robots ?? []).map((robot) => [placeName(robot.name), robot] as const),
        ])
      : null,
    open: open.open,
  }
}

function capacityOf(bundle: Bundle, { id, slots }: Bundle['pools'][number], otherwise: number): number {
  const members = bundle.agents.filter(({ pools }) => pools.includes(id))
  return members.length === 0 ? (slots ?? otherwise) : members.reduce((sum, agent) => sum + agent.slots, 0)
}

/** The agents of the file, and for each pool that none of them names one of its own; on a server only those that there are. */
function agentsOf(bundle: Bundle, isAll: boolean): AgentModel[] {
  const agents = bundle.agents.map(({ id, slots, pools, away }): AgentModel => ({
    name: id,
    slots,
    pools,
    away: stretchesOf(away),
  }))
  if (isAll) return agents
  const named = new Set(bundle.agents.flatMap(({ pools }) => pools))
  const alone = bundle.pools
    .filter(({ id }) => !named.has(id))
    .map(({ id, slots }): AgentModel => ({ name: id, slots: slots ?? 1, pools: [id], away: [] }))
  return [...agents, ...alone]
}

/** Robots stand beside the agents, and are away with theirs. They are nobody's load. */
const robotsOf = (server: Server | null, agents: readonly AgentModel[]): AgentModel[] =>
  (server?.robots ?? []).map((robot) => ({
    name: placeName(robot.name),
    slots: 1,
    pools: [],
    away: agents.find(({ name }) => name === robot.robot.agent)?.away ?? [],
    closed: robot.closed,
  }))

/** Stretches that overlap or meet are one. */
function stretchesOf(away: Bundle['agents'][number]['away']): { from: number; to: number }[] {
  const out: { from: number; to: number }[] = []
  const sorted = away
    .map(({ from, to }) => ({ from: Math.floor(Date.parse(from) / 1000), to: Math.floor(Date.parse(to) / 1000) }))
    .sort((a, b) => a.from - b.from)
  for (const stretch of sorted) {
    const last = out.at(-1)
    if (last && stretch.from <= last.to) last.to = Math.max(last.to, stretch.to)
    else out.push({ ...stretch })
  }
  return out
}

function triggersOf(
  bundle: Bundle,
  from: number,
  to: number,
  timings: Timings,
  works: Works,
  server: Server | null,
): TriggerModel[] {
  let left = MOST_OCCURRENCES
  return bundle.triggers.flatMap((trigger, index) => {
    // What starts by what happens has no occurrences ahead.
    if (!trigger.enabled || !isTimed(trigger)) return []
    const workOn = works.of(trigger, index, server !== null)
    const found = server?.startsOff ? [] : timings.schedule(trigger).between(from, to, left + 1)
    const target = server && 'job' in trigger.start ? works.targetOf(trigger.start.job) : null
    const machines: (string | null)[] =
      server && target && trigger.spread === 'each'
        ? server.agents.filter((agent) => agent.on && fits(agent, target)).map(({ name }) => name)
        : [null]
    left -= found.length * machines.length
    if (left < 0)
      throw new ForecastFault(
        '',
        `More than ${MOST_OCCURRENCES.toLocaleString('en')} occurrences lie in this stretch: take a shorter one.`,
      )
    if (workOn === null) return []
    const zone = trigger.zone ?? bundle.zone
    const days = found.map(({ at, day }) => {
      const due = finishBy({ finishBy: trigger.finishBy, zone }, at * 1000)
      return { at, day, due: due === null ? null : due / 1000 }
    })
    return machines.map((machine) => {
      const model = {
        id: trigger.id,
        index,
        machine,
        overlap: trigger.overlap,
        waitMost: trigger.waitMost ?? Infinity,
        workOn: machine === null ? workOn : onMachine(workOn, machine),
        occurrences: [] as Occurrence[],
      }
      for (const each of days) model.occurrences.push({ trigger: model, ...each })
      return model
    })
  })
}

/** The same work, of one machine. */
function onMachine(workOn: (day: Day) => Work, agent: string): (day: Day) => Work {
  const known = new Map<Work, Work>()
  return (day) => {
    const work = workOn(day)
    let own = known.get(work)
    if (!own)
      known.set(work, (own = { ...work, steps: work.steps.map((step) => step && { ...step, target: { agent } }) }))
    return own
  }
}
