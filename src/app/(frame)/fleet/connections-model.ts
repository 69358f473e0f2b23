import { quantileOf } from '@/core/fleet/line-health'
import type { Connections, LineRow } from '@/service/fleet/connections'

/** Agents of one pool, as one node of the picture. */
export interface Group {
  /** The pool's name; empty: those that are in none. */
  readonly pool: string
  readonly agents: readonly LineRow[]
  readonly away: number
  readonly troubled: number
  /** Of all round trips told of: the median of medians, and the worst of the agents' p95, milliseconds. */
  readonly p50: number | null
  readonly p95: number | null
  readonly inHand: number
}

/** An agent in several pools stands with the first of them, so that it is drawn once. */
export function groupsOf({ agents }: Connections): Group[] {
  const byPool = new Map<string, LineRow[]>()
  for (const agent of agents) {
    const pool = agent.pools[0] ?? ''
    const list = byPool.get(pool)
    if (list) list.push(agent)
    else byPool.set(pool, [agent])
  }
  return [...byPool]
    .map(([pool, all]): Group => {
      const there = all.filter(({ engineId }) => engineId !== null)
      return {
        pool,
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
    .sort((a, b) => (a.pool === '' ? 1 : b.pool === '' ? -1 : a.pool < b.pool ? -1 : 1))
}

/** Which groups speak with which engine, and whether something is wrong there. */
export function wiresOf(
  groups: readonly Group[],
  { engines }: Connections,
): { engine: number; group: number; agents: number; isTroubled: boolean }[] {
  return groups.flatMap((group, g) =>
    engines.flatMap(({ id }, e) => {
      const here = group.agents.filter(({ engineId }) => engineId === id)
      return here.length === 0
        ? []
        : [{ engine: e, group: g, agents: here.length, isTroubled: here.some(({ trouble }) => trouble !== null) }]
    }),
  )
}

/** Whoever is in trouble first, then by name. */
export const worstFirst = (agents: readonly LineRow[]): LineRow[] =>
  [...agents].sort((a, b) => Number(b.trouble !== null) - Number(a.trouble !== null) || (a.name < b.name ? -1 : 1))
