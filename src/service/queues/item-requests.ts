import type { z } from 'zod'
import { isTooDeep, MOST_NESTED } from '@/core/schema/nesting'
import { clipText } from '@/core/schema/plain-text'
import { itemAskSchema, type ItemAnswer } from '@/agent/protocol'
import { execute, maybeOne, transaction, type Tx } from '@/store/db'
import { Problem } from '@/service/base/problem'
import { addItemsIn, jsonFault, lockedQueue, newItemSchema } from './arrive'
import { endTake, takeNext, type Taker } from './takes'

type Ask = z.output<typeof itemAskSchema>

/** What a run asks for over its agent. */
export interface ItemRequest {
  readonly attempt: number
  readonly token: number
  /** Made up by who asks; the same again is the same question. */
  readonly request: string
  readonly ask: unknown
}

interface Holder extends Taker {
  readonly queues: { readonly take?: readonly string[]; readonly add?: readonly string[] } | null
}

const refused = (why: string): ItemAnswer => ({ ok: false, why: clipText(why, 1000) })

/**
 * Answers what a run asks for, once: the answer is kept in the transaction of what it did, so that the same question, of an agent that was killed or a server that was away, gets the
 * same answer and does nothing twice. Only an attempt that goes on, of this agent, under its token, is answered.
 */
export async function answerItemRequest(
  agentId: number,
  { attempt, token, request, ask }: ItemRequest,
): Promise<ItemAnswer> {
  if (isTooDeep(ask)) return refused(`This nests deeper than ${MOST_NESTED}.`)
  const read = itemAskSchema.safeParse(ask)
  if (!read.success) return refused(read.error.issues[0]?.message ?? 'This is no request that is known.')
  try {
    return await transaction(async (tx) => {
      // Whoever ends the attempt changes its run: until this is answered it goes on.
      const holder = await maybeOne<Holder>(
        tx,
        `SELECT a.id AS "attemptId", a.run_id AS "runId", g.name AS agent, b.name AS robot, v.definition->'queues' AS queues
           FROM attempts a JOIN runs r ON r.id = a.run_id JOIN agents g ON g.id = a.agent_id LEFT JOIN robots b ON b.id = a.robot_id
           JOIN job_versions v ON v.job_id = r.job_id AND v.version = r.job_version
          WHERE a.id = $1 AND a.token = $2 AND a.agent_id = $3 AND a.state IN ('handed','accepted','running') FOR SHARE OF r`,
        [attempt, token, agentId],
      )
      if (!holder) return refused('This run does not go on any more.')
      const before = await maybeOne<{ answer: ItemAnswer }>(
        tx,
        'SELECT answer FROM item_requests WHERE attempt_id = $1 AND request = $2',
        [attempt, request],
      )
      if (before) return before.answer
      const answer = await carryOut(tx, holder, read.data)
      await execute(tx, 'INSERT INTO item_requests (attempt_id, request, answer) VALUES ($1, $2, $3)', [
        attempt,
        request,
        JSON.stringify(answer),
      ])
      return answer
    })
  } catch (error) {
    // What was asked wrongly has done nothing; asked again it is answered the same.
    if (error instanceof Problem) return refused(error.errors.map(({ message }) => message).join(' ') || error.detail)
    throw error
  }
}

async function carryOut(tx: Tx, holder: Holder, ask: Ask): Promise<ItemAnswer> {
  switch (ask.do) {
    case 'take': {
      const queue = await allowed(tx, holder, 'take', ask.queue)
      const taken = await takeNext(tx, queue, holder)
      return { ok: true, answer: taken ?? { item: null } }
    }
    case 'add': {
      const id = await allowed(tx, holder, 'add', ask.queue)
      const item = newItemSchema.safeParse(ask.new)
      if (!item.success) return refused(item.error.issues[0]?.message ?? 'This is no item.')
      const [number] = await addItemsIn(tx, await lockedQueue(tx, id), [item.data], `#${holder.runId}`)
      return { ok: true, answer: { item: number as number } }
    }
    case 'done': {
      const fault = ask.result === undefined ? null : jsonFault(ask.result, 'The result')
      if (fault) return refused(fault)
      return ended(await endTake(tx, holder.attemptId, ask.item, { how: 'done' }, { result: ask.result }))
    }
    case 'reject':
      return ended(await endTake(tx, holder.attemptId, ask.item, { how: 'rejected' }, { reason: ask.why }))
    case 'fail':
      return ended(await endTake(tx, holder.attemptId, ask.item, { how: 'failed' }, { reason: ask.why }))
    case 'later': {
      const notBeforeMs = ask.notBefore === undefined ? null : Date.parse(ask.notBefore)
      return ended(await endTake(tx, holder.attemptId, ask.item, { how: 'later', notBeforeMs }))
    }
  }
}

const ended = (why: string | null): ItemAnswer => (why === null ? { ok: true, answer: {} } : refused(why))

/** A run takes from, and adds to, only the queues that its job names. */
async function allowed(tx: Tx, { queues }: Holder, what: 'take' | 'add', slug: string): Promise<number> {
  const words = what === 'take' ? 'take from' : 'add to'
  const row = queues?.[what]?.includes(slug)
    ? await maybeOne<{ id: number }>(tx, 'SELECT id FROM queues WHERE slug = $1 AND deleted_at IS NULL', [slug])
    : undefined
  if (!row) throw new Problem('not-allowed', `The job of this run names no queue ${slug} that it may ${words}.`)
  return row.id
}
