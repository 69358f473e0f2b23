import { quantileOf } from '@/core/fleet/line-health'
import type { Connections, LineRow } from '@/service/fleet/connections'

/** Agents of one pool that call by one way, as one node of the picture. */
export interface Group {
  /** Of no other one. */
  readonly key: string
  /** The pool's name; empty: those that are in none. */
  readonly pool: string
  /** The relay that they call through, as they name it; empty: they call straight. */
  readonly through: string
  readonly agents: readonly LineRow[]
  readonly away: number
  readonly troubled: number
  /** Of all round trips told of: the median of medians, and the worst of the agents' p95, milliseconds. */
  readonly p50: number | null
  readonly p95: number | null
  readonly inHand: number
}

/** An agent in several pools stands with the first of them, so that it is drawn once. Those of a relay stand together. */
export function groupsOf({ agents }: Connections): Group[] {
  const byKey = new Map<string, LineRow[]>()
  const keyOf = ({ pools, line }: LineRow): string => JSON.stringify([line?.through ?? '', pools[0] ?? ''])
  for (const agent of agents) {
    const key = keyOf(agent)
    const list = byKey.get(key)
    if (list) list.push(agent)
    else byKey.set(key, [agent])
  }
  return [...byKey]
    .map(([key, all]): Group => {
      const there = all.filter(({ engineId }) => engineId !== null)
      const [through, pool] = JSON.parse(key) as [string, string]
      return {
        key,
        pool,
        through,
        agents: all,
        away: all.length - there.length,
        troubled: there.filter(({ trouble }) => trouble !== null).length,
        p50: quantileOf(
          there.flatMap(({ line }) => line?.p50 ?? []),
          0.5,
        ),
        p95: quantileOf(
          there.flatMap(({ line }) => line?.p95 ?? []),
          1,
        ),
        inHand: all.reduce((sum, { inHand }) => sum + inHand, 0),
      }
    })
    .sort(
      (a, b) =>
        inOrder(a.through, b.through) || Number(a.pool === '') - Number(b.pool === '') || inOrder(a.pool, b.pool),
    )
}

const inOrder = (a: string, b: string): number => (a < b ? -1 : a > b ? 1 : 0)

/** A relay of the picture. */
export interface RelayNode {
  readonly name: string
  /** The agent that it is; null: none of that name is known. */
  readonly agent: LineRow | null
}

/** Those that say that they are relays, and those that others say they call through; by name. */
export function relaysOf({ agents }: Connections): RelayNode[] {
  const named = new Map<string, LineRow | null>()
  for (const { line } of agents) if (line?.through !== undefined) named.set(line.through, null)
  for (const agent of agents) if (agent.line?.relay || named.has(agent.name)) named.set(agent.name, agent)
  return [...named].map(([name, agent]) => ({ name, agent })).sort((a, b) => inOrder(a.name, b.name))
}

/** The row at which each relay stands: that of the first group behind it, so that wires of others pass by; those that nobody calls through come last. */
export function rowsOf(groups: readonly Group[], relays: readonly RelayNode[]): number[] {
  let next = groups.length
  return relays.map(({ name }) => {
    const row = groups.findIndex(({ through }) => through === name)
    return row >= 0 ? row : next++
  })
}

/** A wire between two columns of the picture, each end by its place within its column. */
export interface WireOf {
  readonly key: string
  readonly from: readonly ['database' | 'engine' | 'relay', number]
  readonly to: readonly ['engine' | 'relay' | 'group', number]
  readonly isTroubled: boolean
}

/** Who speaks with whom, and whether something is wrong there. */
export function wiresOf(found: Connections, groups: readonly Group[], relays: readonly RelayNode[]): WireOf[] {
  const { engines } = found
  const wires: WireOf[] = []
  const add = (from: WireOf['from'], to: WireOf['to'], isTroubled: boolean): void =>
    void wires.push({ key: [...from, ...to].join(' '), from, to, isTroubled })
  engines.forEach(({ id, isAlive }, e) => {
    add(['database', 0], ['engine', e], !isAlive)
    relays.forEach(({ name, agent }, r) => {
      const passed = found.agents.filter(({ engineId, line }) => engineId === id && line?.through === name)
      if (agent?.engineId === id || passed.length > 0)
        add(['engine', e], ['relay', r], (agent?.trouble ?? null) !== null)
    })
    groups.forEach((group, g) => {
      const here = group.agents.filter(({ engineId }) => engineId === id)
      if (group.through === '' && here.length > 0)
        add(
          ['engine', e],
          ['group', g],
          here.some(({ trouble }) => trouble !== null),
        )
    })
  })
  groups.forEach((group, g) => {
    const relay = relays.findIndex(({ name }) => name === group.through)
    if (relay >= 0) add(['relay', relay], ['group', g], group.away + group.troubled > 0)
  })
  return wires
}

/** Whoever is in trouble first, then by name. */
export const worstFirst = (agents: readonly LineRow[]): LineRow[] =>
  [...agents].sort((a, b) => Number(b.trouble !== null) - Number(a.trouble !== null) || inOrder(a.name, b.name))
