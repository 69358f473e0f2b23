import { z } from 'zod'
import { lineTrouble, type LineHealth } from '@/core/fleet/line-health'
import { config } from '@/store/config'
import { many } from '@/store/db'
import { requireRight, type Actor } from '@/service/base/actor'
import { listEngines, type EngineRow } from './engines'

const lineSchema = z.object({
  p50: z.number().nullable(),
  p95: z.number().nullable(),
  reconnects: z.number(),
  unstored: z.number(),
  clockMs: z.number(),
  through: z.string().optional(),
  relay: z.object({ port: z.number(), lines: z.number() }).optional(),
})

/** An agent's line. */
export interface LineRow {
  readonly id: number
  readonly name: string
  readonly pools: readonly string[]
  /** The engine that it speaks with; null: none, it is away. */
  readonly engineId: string | null
  readonly contactAt: string | null
  /** null: it does not tell. */
  readonly line: LineHealth | null
  /** Runs that it has in hand. */
  readonly inHand: number
  /** What to look at; null: nothing. */
  readonly trouble: string | null
}

export interface Connections {
  /** How long a question to the database takes from here, milliseconds. */
  readonly databaseMs: number
  readonly engines: readonly EngineRow[]
  /** Not those whose credential is revoked, by name. */
  readonly agents: readonly LineRow[]
}

/** Who is connected with whom, and how well. */
export async function connections(actor: Actor): Promise<Connections> {
  requireRight(actor, 'see')
  const begun = performance.now()
  await many(null, 'SELECT 1')
  const databaseMs = Math.round((performance.now() - begun) * 10) / 10
  const [engines, rows, memberships] = await Promise.all([
    listEngines(actor),
    many<Omit<LineRow, 'pools' | 'trouble' | 'line'> & { line: unknown; isAway: boolean; active: boolean }>(
      null,
      `SELECT a.id, a.name, c.engine_id AS "engineId", c.last_contact_at AS "contactAt", c.line, coalesce(r.n, 0)::int AS "inHand",
              c.engine_id IS NULL OR c.last_contact_at < now() - make_interval(secs => $1) AS "isAway"
         FROM agents a JOIN agent_contacts c ON c.agent_id = a.id
         LEFT JOIN (SELECT agent_id, count(*) AS n FROM runs WHERE state = 'running' AND agent_id IS NOT NULL GROUP BY agent_id) r ON r.agent_id = a.id
        WHERE a.credential_hash IS NOT NULL ORDER BY a.name`,
      [config().awaySeconds],
    ),
    many<{ agentId: number; pool: string }>(
      null,
      'SELECT m.agent_id AS "agentId", p.name AS pool FROM pool_members m JOIN pools p ON p.id = m.pool_id ORDER BY p.name',
    ),
  ])
  const pools = new Map<number, string[]>()
  for (const { agentId, pool } of memberships) pools.set(agentId, [...(pools.get(agentId) ?? []), pool])
  const away = new Set(rows.filter(({ isAway }) => isAway).map(({ name }) => name))
  const agents = rows.map(({ isAway, line: told, engineId, ...row }): LineRow => {
    const line = lineSchema.safeParse(told).data ?? null
    return {
      ...row,
      pools: pools.get(row.id) ?? [],
      engineId: isAway ? null : engineId,
      line,
      trouble: isAway ? awayTrouble(line?.through, away) : line === null ? null : lineTrouble(line),
    }
  })
  return { databaseMs, engines, agents }
}

/** What to look at when an agent does not call. @param away names of the agents that do not */
function awayTrouble(through: string | undefined, away: ReadonlySet<string>): string {
  if (through === undefined) return 'It does not call: look at the machine, and at the network between.'
  return away.has(through)
    ? `It does not call, nor does its relay ${through}: look there first.`
    : `It does not call: look at the machine, and at its way to the relay ${through}.`
}
