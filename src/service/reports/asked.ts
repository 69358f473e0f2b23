import { clipText } from '@/core/schema/plain-text'
import { reportAskSchema, type ItemAnswer } from '@/agent/protocol'
import { execute, maybeOne, transaction, type Tx } from '@/store/db'
import type { ItemRequest } from '@/service/queues/item-requests'
import { endMaking, insertResult } from './results'

interface Holder {
  readonly attemptId: number
  readonly job: string
  /** The report that its job makes. */
  readonly report: string | null
}

const refused = (why: string): ItemAnswer => ({ ok: false, why: clipText(why, 1000) })

/**
 * Answers a run whose job makes a report: asked for it once for each try, whoever was killed meanwhile, then how far it is. Only an attempt that goes on, of this agent, under its token, is answered, and only about
 * the report that its job names.
 */
export async function answerReportRequest(
  agentId: number,
  { attempt, token, request, ask }: ItemRequest,
): Promise<ItemAnswer> {
  const read = reportAskSchema.safeParse(ask)
  if (!read.success) return refused('This is no request that is known.')
  return transaction(async (tx) => {
    const holder = await maybeOne<Holder>(
      tx,
      `SELECT a.id AS "attemptId", j.title AS job, CASE WHEN v.definition->'action'->>'kind' = 'report' THEN v.definition->'action'->>'report' END AS report
         FROM attempts a JOIN runs r ON r.id = a.run_id JOIN jobs j ON j.id = r.job_id JOIN job_versions v ON v.job_id = r.job_id AND v.version = r.job_version
        WHERE a.id = $1 AND a.token = $2 AND a.agent_id = $3 AND a.state IN ('handed','accepted','running') FOR SHARE OF r`,
      [attempt, token, agentId],
    )
    if (!holder) return refused('This run does not go on any more.')
    const asked = read.data
    if (asked.do === 'report')
      return asked.report === holder.report ? begun(tx, holder, request) : refused('Its job makes another report.')
    const result = await maybeOne<{
      id: number
      state: string
      step: string
      reason: string
      pages: number | null
      period: string
    }>(
      tx,
      `SELECT r.id, r.state, r.step, r.reason, r.pages, r.period FROM report_results r JOIN reports d ON d.id = r.report_id WHERE r.id = $1 AND d.slug = $2`,
      [asked.result, holder.report],
    )
    if (!result) return refused('What it made was removed.')
    if (asked.do === 'report-stop') {
      await endMaking(tx, result.id, 'Its run was stopped.')
      return { ok: true, answer: {} }
    }
    return { ok: true, answer: result }
  })
}

/** Asks for the report, once: the answer is kept in the transaction of what it did. */
async function begun(tx: Tx, { attemptId, job, report }: Holder, request: string): Promise<ItemAnswer> {
  const before = await maybeOne<{ answer: ItemAnswer }>(
    tx,
    'SELECT answer FROM item_requests WHERE attempt_id = $1 AND request = $2',
    [attemptId, request],
  )
  if (before) return before.answer
  const found = await maybeOne<{ id: number; title: string; kind: string }>(
    tx,
    'SELECT id, title, kind FROM reports WHERE slug = $1',
    [report],
  )
  if (!found) return refused(`There is no report ${report} any more.`)
  const { id } = await insertResult(tx, found, { name: job, id: null })
  const answer: ItemAnswer = { ok: true, answer: { result: id, title: found.title } }
  await execute(tx, 'INSERT INTO item_requests (attempt_id, request, answer) VALUES ($1, $2, $3)', [
    attemptId,
    request,
    JSON.stringify(answer),
  ])
  return answer
}
