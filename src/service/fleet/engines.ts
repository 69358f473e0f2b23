import { execute, many } from '@/store/db'
import { requireRight, type Actor } from '@/service/base/actor'

export interface EngineRow {
  readonly id: string
  readonly host: string
  readonly pid: number
  readonly version: string
  readonly gatewayUrl: string
  readonly startedAt: string
  readonly lastSeenAt: string
  readonly leads: boolean
  readonly agents: number
  readonly isAlive: boolean
}

/** Says that this engine lives, and how much processor time it has used. */
export async function engineAlive(engine: {
  id: string
  host: string
  pid: number
  version: string
  gatewayUrl: string
  startedAt: Date
}): Promise<void> {
  const { user, system } = process.cpuUsage()
  await execute(
    null,
    `INSERT INTO engines (id, host, pid, version, gateway_url, started_at, last_seen_at, cpu_ms) VALUES ($1, $2, $3, $4, $5, $6, now(), $7)
     ON CONFLICT (id) DO UPDATE SET last_seen_at = now(), cpu_ms = excluded.cpu_ms`,
    [
      engine.id,
      engine.host,
      engine.pid,
      engine.version,
      engine.gatewayUrl,
      engine.startedAt,
      Math.round((user + system) / 1000),
    ],
  )
  await execute(null, `DELETE FROM engines WHERE last_seen_at < now() - interval '1 hour'`)
}

export async function engineGone(id: string): Promise<void> {
  // In the order of their numbers, as everybody who changes several (leases.ts).
  await execute(
    null,
    `UPDATE agent_contacts c SET engine_id = NULL
       FROM (SELECT agent_id FROM agent_contacts WHERE engine_id = $1 ORDER BY agent_id FOR NO KEY UPDATE) l WHERE c.agent_id = l.agent_id`,
    [id],
  )
  await execute(null, 'DELETE FROM engines WHERE id = $1', [id])
}

export async function listEngines(actor: Actor): Promise<EngineRow[]> {
  requireRight(actor, 'see')
  return many<EngineRow>(
    null,
    `SELECT e.id, e.host, e.pid, e.version, e.gateway_url AS "gatewayUrl", e.started_at AS "startedAt", e.last_seen_at AS "lastSeenAt",
            l.engine_id IS NOT NULL AS leads, (SELECT count(*) FROM agent_contacts c WHERE c.engine_id = e.id)::int AS agents,
            e.last_seen_at > now() - interval '10 seconds' AS "isAlive"
       FROM engines e LEFT JOIN leadership l ON l.engine_id = e.id ORDER BY e.started_at`,
  )
}
