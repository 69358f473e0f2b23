import { z } from 'zod'
import { execute, many, maybeOne, transaction, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { ENGINE, requireRight, type Actor } from '@/service/base/actor'
import { record } from '@/service/base/audit'
import { invalid, notFound, Problem } from '@/service/base/problem'

export const steerSchema = z
  .strictObject({
    agentId: z.int().positive().optional(),
    robotId: z.int().positive().optional(),
    /** When everything is as before again; null: when somebody undoes it. */
    until: z.iso.datetime({ offset: true }).nullable().default(null),
  })
  .refine(({ agentId, robotId }) => (agentId === undefined) !== (robotId === undefined), {
    path: ['agentId'],
    message: 'Say which member stays on: an agent, or a robot.',
  })

/** The longest that work is steered onto one member, milliseconds. */
const LONGEST_MS = 31 * 86_400_000

/** Whose membership was on before, and whose alone is on now (0: none of these). */
interface Before {
  readonly agents: number[]
  readonly robots: number[]
  readonly onto: { readonly agents: number; readonly robots: number }
}

const MEMBERS = [
  ['pool_members', 'agent_id', 'agents'],
  ['robot_pools', 'robot_id', 'robots'],
] as const

/** Switches all memberships of a pool off but one, and remembers which were on. */
export async function steerPool(actor: Actor, poolId: number, request: z.output<typeof steerSchema>): Promise<void> {
  requireRight(actor, 'administer')
  const untilMs = request.until === null ? null : Date.parse(request.until)
  if (untilMs !== null && (untilMs <= Date.now() || untilMs > Date.now() + LONGEST_MS))
    throw invalid('until', 'It ends between now and a month from now.')
  await transaction(async (tx) => {
    const pool = await lockPool(tx, poolId)
    if (await maybeOne(tx, 'SELECT FROM pool_steers WHERE pool_id = $1', [poolId]))
      throw new Problem('not-now', `${pool.title} is steered already: undo that first.`)
    const name = await memberName(tx, poolId, request)
    const onto = { agents: request.agentId ?? 0, robots: request.robotId ?? 0 }
    const before: Before = { agents: [], robots: [], onto }
    for (const [table, column, key] of MEMBERS) {
      const rows = await many<{ id: number }>(
        tx,
        `SELECT ${column} AS id FROM ${table} WHERE pool_id = $1 AND active ORDER BY 1`,
        [poolId],
      )
      before[key].push(...rows.map(({ id }) => id))
      await execute(
        tx,
        `UPDATE ${table} SET active = (${column} = $2) WHERE pool_id = $1 AND active <> (${column} = $2)`,
        [poolId, onto[key]],
      )
    }
    await execute(
      tx,
      'INSERT INTO pool_steers (pool_id, onto, before, until, steered_by) VALUES ($1, $2, $3, $4, $5)',
      [poolId, name, JSON.stringify(before), request.until, actor.name],
    )
    await record(
      tx,
      actor,
      'steered',
      { type: 'pool', id: poolId, title: pool.title },
      { onto: name, until: request.until },
    )
    await notify(tx, { fleet: true, place: true })
  })
}

/** Everything is as it was before: whoever was on then and is still a member is on again. */
export async function undoSteer(actor: Actor, poolId: number): Promise<void> {
  requireRight(actor, 'administer')
  await transaction(async (tx) => {
    await lockPool(tx, poolId)
    if (!(await undo(tx, actor, poolId))) throw new Problem('not-now', 'Nothing is steered there.')
  })
}

/** Undoes what was steered until now. */
export async function endSteers(): Promise<void> {
  const due = await many<{ id: number }>(null, 'SELECT pool_id AS id FROM pool_steers WHERE until <= now()')
  for (const { id } of due)
    await transaction(async (tx) => {
      await lockPool(tx, id)
      await undo(tx, ENGINE, id)
    })
}

async function undo(tx: Tx, actor: Actor, poolId: number): Promise<boolean> {
  const row = await maybeOne<{ title: string; before: Before }>(
    tx,
    'DELETE FROM pool_steers s USING pools p WHERE s.pool_id = $1 AND p.id = s.pool_id RETURNING p.title, s.before',
    [poolId],
  )
  if (!row) return false
  const { before } = row
  for (const [table, column, key] of MEMBERS)
    await execute(
      tx,
      `UPDATE ${table} SET active = (${column} = ANY($2)) WHERE pool_id = $1 AND (${column} = ANY($2) OR ${column} = $3)`,
      [poolId, before[key], before.onto[key]],
    )
  await record(tx, actor, 'steered back', { type: 'pool', id: poolId, title: row.title })
  await notify(tx, { fleet: true, place: true })
  return true
}

async function lockPool(tx: Tx, id: number): Promise<{ title: string }> {
  const pool = await maybeOne<{ title: string }>(tx, 'SELECT title FROM pools WHERE id = $1 FOR UPDATE', [id])
  if (!pool) throw notFound('pool', id)
  return pool
}

async function memberName(tx: Tx, poolId: number, { agentId, robotId }: z.output<typeof steerSchema>): Promise<string> {
  const member = await maybeOne<{ name: string }>(
    tx,
    `SELECT a.name FROM pool_members m JOIN agents a ON a.id = m.agent_id WHERE m.pool_id = $1 AND a.id = $2
     UNION ALL SELECT b.name FROM robot_pools m JOIN robots b ON b.id = m.robot_id WHERE m.pool_id = $1 AND b.id = $3 AND b.removed_at IS NULL`,
    [poolId, agentId ?? null, robotId ?? null],
  )
  if (!member) throw invalid(agentId === undefined ? 'robotId' : 'agentId', 'It is no member of this pool.')
  return member.name
}
