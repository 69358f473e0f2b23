import type { Bundle } from '../bundle/schema'
import { withChanges, type Change } from './change'
import type { Server, ServerAgent } from './server'

/** What a forecast is made of: definitions, and on a server all that is known besides. */
export interface Material {
  readonly bundle: Bundle
  readonly server: Server | null
}

/** The material with these changes made, one after the other. Throws a ForecastFault with the place of the change that cannot be. */
export function changed(material: Material, changes: readonly Change[]): Material {
  const { server } = material
  if (!server) return { bundle: withChanges(material.bundle, changes), server }
  return changes.reduce((current, change, i) => {
    const before = { bundle: current.bundle, server: current.server as Server }
    if ('slots' in change && 'pool' in change.slots) return withSlotsOf(before, change.slots.pool, change.slots.to, i)
    const bundle = withChanges(current.bundle, [change], i)
    return { bundle, server: 'length' in change ? withLength(before.server, change.length) : current.server }
  }, material)
}

function withLength(server: Server, { job, times }: { job: string; times: number }): Server {
  const measured = server.lengths[job]
  if (!measured) return server
  const longer = (samples: readonly number[]): number[] => samples.map((each) => each * times)
  const { byChoice } = measured
  const next = {
    ...measured,
    samples: longer(measured.samples),
    ...(byChoice
      ? {
          byChoice: {
            ...byChoice,
            samples: Object.fromEntries(Object.entries(byChoice.samples).map(([value, all]) => [value, longer(all)])),
          },
        }
      : {}),
  }
  return { ...server, lengths: { ...server.lengths, [job]: next } }
}

/** A pool of agents gets one more, with as many slots as are missing; with fewer slots it has fewer agents. */
function withSlotsOf(material: { bundle: Bundle; server: Server }, pool: string, to: number, place: number): Material {
  const { bundle, server } = material
  const members = bundle.agents.filter(({ pools }) => pools.includes(pool))
  if (members.length === 0) return { ...material, bundle: withChanges(bundle, [{ slots: { pool, to } }]) }
  let spare = to - members.reduce((sum, { slots }) => sum + slots, 0)
  if (spare <= 0) {
    const agents = bundle.agents.flatMap((agent) => {
      if (!agent.pools.includes(pool) || spare === 0) return [agent]
      const less = Math.min(agent.slots, -spare)
      spare += less
      return agent.slots > less
        ? [{ ...agent, slots: agent.slots - less }]
        : [{ ...agent, pools: agent.pools.filter((each) => each !== pool) }]
    })
    const pools = new Map(agents.map((agent) => [agent.id, agent.pools]))
    const known = server.agents.map((agent) => ({ ...agent, pools: only(agent.pools, pools.get(agent.name) ?? []) }))
    return { bundle: { ...bundle, agents }, server: { ...server, agents: known } }
  }
  const like = server.agents.find(({ pools }) => pools[pool] === true)
  const name = `one-more-${place + 1}`
  const more: ServerAgent = {
    ...(like ?? { labels: {}, version: '1.0.0', abilities: [], accounts: [] }),
    name,
    on: true,
    draining: false,
    full: false,
    connected: true,
    pools: { [pool]: true },
    lastStart: null,
  }
  return {
    bundle: { ...bundle, agents: [...bundle.agents, { id: name, slots: spare, pools: [pool], away: [] }] },
    server: { ...server, agents: [...server.agents, more] },
  }
}

const only = (pools: ServerAgent['pools'], names: readonly string[]): ServerAgent['pools'] =>
  Object.fromEntries(Object.entries(pools).filter(([pool]) => names.includes(pool)))
