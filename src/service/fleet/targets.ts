import { isMeant, type Target } from '@/core/dispatch'
import { isFlowDefinition, type WorkDefinition } from '@/core/work/flow'
import { many, type Tx } from '@/store/db'

/** A machine that work may be meant for: enrolled and switched on, whether it can be reached or not. */
export interface Machine {
  readonly id: number
  readonly name: string
  readonly fits: (target: Target) => boolean
}

/** All machines that are switched on, by name. */
export async function machinesOf(tx: Tx | null): Promise<Machine[]> {
  const rows = await many<{ id: number; name: string; labels: Record<string, string>; pools: string[] }>(
    tx,
    `SELECT a.id, a.name, a.labels,
            coalesce((SELECT jsonb_agg(p.name) FROM pool_members m JOIN pools p ON p.id = m.pool_id
                       WHERE m.agent_id = a.id AND m.active AND p.active), '[]') AS pools
       FROM agents a WHERE a.active AND a.credential_hash IS NOT NULL ORDER BY a.name`,
  )
  return rows.map(({ id, name, labels, pools }) => ({
    id,
    name,
    fits: (target) => isMeant(target, { name, isRobot: false, pools, labels }),
  }))
}

/** Those of the machines that a job is meant for; a flow is meant for none, its steps are. */
export function machinesFor(machines: readonly Machine[], definition: WorkDefinition): Machine[] {
  return isFlowDefinition(definition) ? [] : machines.filter((machine) => machine.fits(definition.target))
}

/** A run of a trigger that has not ended. */
export interface OpenRun {
  readonly id: number
  readonly forAgentId: number | null
}

/** Runs of these triggers that have not ended, oldest first. */
export async function openRunsOf(tx: Tx, triggerIds: readonly number[]): Promise<Map<number, OpenRun[]>> {
  const rows = await many<OpenRun & { triggerId: number }>(
    tx,
    `SELECT id, trigger_id AS "triggerId", for_agent_id AS "forAgentId" FROM runs
      WHERE trigger_id = ANY($1) AND state IN ('waiting','ready','running') ORDER BY id`,
    [triggerIds],
  )
  const out = new Map<number, OpenRun[]>()
  for (const { triggerId, ...run } of rows) {
    const list = out.get(triggerId)
    if (list) list.push(run)
    else out.set(triggerId, [run])
  }
  return out
}
