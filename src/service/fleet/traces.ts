import { promisify } from 'node:util'
import { gzip } from 'node:zlib'
import { z } from 'zod'
import type { TraceLine } from '@/agent/protocol'
import { execute, many, maybeOne, transaction } from '@/store/db'
import { notify } from '@/store/listen'
import { requireRight, type Actor } from '@/service/base/actor'
import { record } from '@/service/base/audit'
import { notFound, Problem } from '@/service/base/problem'
import { addAgentEvent } from './fleet'

const packed = promisify(gzip)
/** Of one trace; beyond it the oldest go. */
const MOST_BYTES = 50 * 1024 * 1024
const KEPT_DAYS = 14

export const traceSchema = z.strictObject({
  minutes: z.int('Whole minutes.').min(5, 'Five minutes at least.').max(120, 'Two hours at most.'),
})

export interface TraceRow {
  readonly id: number
  readonly askedBy: string
  readonly startedAt: string
  readonly until: string
  readonly goesOn: boolean
  readonly lines: number
  /** As it is kept, packed. */
  readonly bytes: number
  /** It was larger than what is kept: its beginning is gone. */
  readonly rolled: boolean
}

/** What an agent was asked to tell of itself in the last two weeks, the newest first. */
export async function listTraces(actor: Actor, agentId: number): Promise<TraceRow[]> {
  requireRight(actor, 'administer')
  return many<TraceRow>(
    null,
    `SELECT id, asked_by AS "askedBy", started_at AS "startedAt", until, until > now() AS "goesOn", lines, bytes, rolled FROM traces WHERE agent_id = $1 ORDER BY id DESC LIMIT 50`,
    [agentId],
  )
}

/** Asks an agent to tell what it does; it ends by itself. */
export async function startTrace(
  actor: Actor,
  agentId: number,
  { minutes }: z.output<typeof traceSchema>,
): Promise<{ id: number }> {
  requireRight(actor, 'administer')
  return transaction(async (tx) => {
    const agent = await maybeOne<{ name: string; can: boolean }>(
      tx,
      `SELECT name, jsonb_exists(abilities, 'trace') AS can FROM agents WHERE id = $1 FOR NO KEY UPDATE`,
      [agentId],
    )
    if (!agent) throw notFound('agent', agentId)
    if (!agent.can)
      throw new Problem(
        'not-now',
        `${agent.name} cannot tell what it does: it is older, or its machine’s owner denies it.`,
      )
    if (await maybeOne(tx, 'SELECT FROM traces WHERE agent_id = $1 AND until > now()', [agentId]))
      throw new Problem('not-now', `A trace of ${agent.name} goes on already.`)
    const [trace] = await many<{ id: number }>(
      tx,
      `INSERT INTO traces (agent_id, asked_by, until) VALUES ($1, $2, now() + make_interval(mins => $3)) RETURNING id`,
      [agentId, actor.name, minutes],
    )
    const { id } = trace as { id: number }
    await addAgentEvent(tx, agentId, 'trace', `for ${minutes} minutes, by ${actor.name}`)
    await record(tx, actor, 'traced', { type: 'agent', id: agentId, title: agent.name }, { minutes })
    await notify(tx, { fleet: true })
    return { id }
  })
}

export async function endTrace(actor: Actor, id: number): Promise<void> {
  requireRight(actor, 'administer')
  await transaction(async (tx) => {
    const ended = await maybeOne<{ agentId: number; name: string }>(
      tx,
      `UPDATE traces t SET until = now() FROM agents a WHERE t.id = $1 AND a.id = t.agent_id AND t.until > now() RETURNING a.id AS "agentId", a.name`,
      [id],
    )
    if (!ended) throw new Problem('not-now', 'It does not go on any more.')
    await record(tx, actor, 'ended a trace of', { type: 'agent', id: ended.agentId, title: ended.name })
    await notify(tx, { fleet: true })
  })
}

/** What each of these agents is to tell; those that are to tell nothing are missing. Until: milliseconds since the epoch. */
export async function tracesOf(agentIds: readonly number[]): Promise<Map<number, { trace: number; until: number }>> {
  const rows = await many<{ agentId: number; trace: number; until: Date }>(
    null,
    'SELECT agent_id AS "agentId", id AS trace, until FROM traces WHERE agent_id = ANY($1) AND until > now()',
    [agentIds],
  )
  return new Map(rows.map(({ agentId, trace, until }) => [agentId, { trace, until: until.getTime() }]))
}

/** A little longer than it was asked for: what was on its way still counts. */
const GRACE = `interval '1 minute'`

/** Keeps what an agent tells; of a trace that is not its own, or is over, nothing is kept. */
export async function storeTrace(agentId: number, trace: number, lines: readonly TraceLine[]): Promise<void> {
  const text = lines.map(
    ({ at, what, facts }) => `${JSON.stringify({ at: new Date(at).toISOString(), what, ...facts })}\n`,
  )
  const body = await packed(text.join(''))
  await transaction(async (tx) => {
    const kept = await maybeOne<{ bytes: number }>(
      tx,
      `UPDATE traces SET bytes = bytes + $3, lines = lines + $4 WHERE id = $2 AND agent_id = $1 AND until + ${GRACE} > now() RETURNING bytes`,
      [agentId, trace, body.length, lines.length],
    )
    if (!kept) return
    await execute(tx, 'INSERT INTO trace_chunks (trace_id, body, bytes) VALUES ($1, $2, $3)', [
      trace,
      body,
      body.length,
    ])
    const over = kept.bytes - MOST_BYTES
    if (over <= 0) return
    const [gone] = await many<{ bytes: number }>(
      tx,
      `WITH old AS (SELECT id, bytes, sum(bytes) OVER (ORDER BY id) AS upto FROM trace_chunks WHERE trace_id = $1),
         gone AS (DELETE FROM trace_chunks c USING old o WHERE c.id = o.id AND o.upto - o.bytes < $2 RETURNING c.bytes)
       SELECT coalesce(sum(bytes), 0)::bigint AS bytes FROM gone`,
      [trace, over],
    )
    await execute(tx, 'UPDATE traces SET bytes = bytes - $2, rolled = true WHERE id = $1', [trace, gone?.bytes ?? 0])
  })
}

/** A trace as one file of JSON Lines, packed by gzip: each piece is a member of it. */
export interface TraceFile {
  readonly name: string
  readonly pieces: AsyncGenerator<Buffer>
}

export async function traceFile(actor: Actor, id: number): Promise<TraceFile> {
  requireRight(actor, 'administer')
  const trace = await maybeOne<{ agent: string; startedAt: Date; last: number | null }>(
    null,
    `SELECT a.name AS agent, t.started_at AS "startedAt", (SELECT max(id) FROM trace_chunks c WHERE c.trace_id = t.id) AS last
       FROM traces t JOIN agents a ON a.id = t.agent_id WHERE t.id = $1`,
    [id],
  )
  if (!trace) throw notFound('trace', id)
  const when = trace.startedAt.toISOString().slice(0, 16).replace(/[-:]/g, '')
  return { name: `${trace.agent}-${when}.jsonl.gz`.replace(/[^\w.-]/g, '-'), pieces: piecesOf(id, trace.last ?? 0) }
}

async function* piecesOf(traceId: number, last: number): AsyncGenerator<Buffer> {
  for (let after = 0; ;) {
    const chunks = await many<{ id: number; body: Buffer }>(
      null,
      'SELECT id, body FROM trace_chunks WHERE trace_id = $1 AND id > $2 AND id <= $3 ORDER BY id LIMIT 50',
      [traceId, after, last],
    )
    if (chunks.length === 0) return
    after = chunks.at(-1)?.id ?? last
    yield Buffer.concat(chunks.map(({ body }) => body))
  }
}

export async function purgeTraces(): Promise<void> {
  await execute(null, `DELETE FROM traces WHERE until < now() - make_interval(days => ${KEPT_DAYS})`)
}
