import { checkBundle } from '@/core/bundle/check'
import type { Bundle } from '@/core/bundle/schema'
import type { Server } from '@/core/forecast/server'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { definitionsOut } from '@/service/exchange/bundle-out'
import { many } from '@/store/db'
import { present } from './present'

/** All that a forecast or a search is made of: plain data, for threads and browsers. */
export interface Material {
  /** Seconds since the epoch. */
  readonly now: number
  readonly bundle: Bundle
  readonly server: Server
  /** Parts that cannot be read, and are left out. */
  readonly leftOut: readonly string[]
}

export async function forecastMaterial(actor: Actor): Promise<Material> {
  requireSomewhere(actor, 'see')
  const unread: string[] = []
  const [file, server, agents] = await Promise.all([
    definitionsOut(actor, (what) => unread.push(what)),
    present(),
    agentsOut(),
  ])
  const { bundle, leftOut } = readable(file)
  return { now: Math.floor(Date.now() / 1000), bundle: { ...bundle, agents }, server, leftOut: [...unread, ...leftOut] }
}

/** All that ever called; one that is switched off is in no pool. */
async function agentsOut(): Promise<Bundle['agents']> {
  const rows = await many<{ id: string; slots: number; pools: string[] }>(
    null,
    `SELECT a.name AS id, a.slots, coalesce(array_agg(p.name ORDER BY p.name) FILTER (WHERE p.name IS NOT NULL AND a.active), '{}') AS pools
       FROM agents a LEFT JOIN pool_members m ON m.agent_id = a.id AND m.active LEFT JOIN pools p ON p.id = m.pool_id AND p.active
      WHERE a.credential_hash IS NOT NULL GROUP BY a.id ORDER BY a.name`,
  )
  return rows.map((agent) => ({ ...agent, away: [] }))
}

type Parts = 'calendars' | 'locks' | 'jobs' | 'flows' | 'triggers'

/** One part that was saved by an older Bugle and cannot be read any more must not hide the whole night: it is left out, and what stands on it. */
function readable(raw: Record<string, unknown>): { bundle: Bundle; leftOut: string[] } {
  const leftOut: string[] = []
  let file = raw
  for (;;) {
    const checked = checkBundle(file)
    if (checked.ok) return { bundle: checked.bundle, leftOut }
    const bad = new Map<Parts, Set<number>>()
    for (const { path } of checked.faults) {
      const [, list, index] = /^(calendars|locks|jobs|flows|triggers)\[(\d+)\]/.exec(path) ?? []
      if (list === undefined) throw new Error(`The definitions cannot be read: ${path}`)
      bad.set(list as Parts, (bad.get(list as Parts) ?? new Set()).add(Number(index)))
    }
    const next = { ...file }
    for (const [list, places] of bad) {
      const all = file[list] as { id: string }[]
      for (const place of places) leftOut.push(`${list.slice(0, -1)} ${all[place]?.id ?? place}`)
      next[list] = all.filter((_, i) => !places.has(i))
    }
    file = next
  }
}
