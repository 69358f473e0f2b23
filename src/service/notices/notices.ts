import { z } from 'zod'
import { ActFault } from '@/act/context'
import { NOTICE_FACTS, type Notice, type NoticeFacts } from '@/core/work/notice'
import { execute, many, maybeOne, one, transaction, type Tx } from '@/store/db'
import { accountFault, accountNamed } from '@/service/fleet/accounts'
import { requireRight, type Actor } from '@/service/base/actor'
import { difference, record } from '@/service/base/audit'
import { mailServerNamed } from './mail-servers'
import { areaOf, resolved, send } from './notice-sending'
import { invalid, notFound, Problem } from '@/service/base/problem'

export interface NoticeRow extends Notice {
  readonly id: number
  /** What it is of: a job or flow, an area, or everything. */
  readonly of: string
  readonly changedBy: string
  readonly changedAt: string
}

const ROWS = `
  SELECT n.id, n.title, n.active, n.job_id AS "jobId", n.area_id AS "areaId", n.events, n.action, n.account, n.changed_by AS "changedBy",
         n.changed_at AS "changedAt", coalesce(j.title, a.path, 'everything') AS of
    FROM notices n LEFT JOIN jobs j ON j.id = n.job_id LEFT JOIN areas a ON a.id = n.area_id`

export async function listNotices(actor: Actor): Promise<NoticeRow[]> {
  requireRight(actor, 'see')
  return many<NoticeRow>(null, `${ROWS} ORDER BY lower(n.title), n.id`)
}

export interface NoticeSend {
  readonly id: number
  readonly noticeId: number
  readonly notice: string
  readonly event: string
  readonly runId: number | null
  readonly title: string
  readonly state: 'waiting' | 'sent' | 'given up'
  readonly attempts: number
  readonly what: string
  readonly madeAt: string
  readonly sentAt: string | null
  readonly nextAt: string
}

/** What was sent, or is being tried, the newest first. */
export async function listSends(actor: Actor, runId: number | undefined): Promise<NoticeSend[]> {
  requireRight(actor, 'see')
  return many<NoticeSend>(
    null,
    `SELECT s.id, s.notice_id AS "noticeId", n.title AS notice, s.event, s.run_id AS "runId", coalesce(j.title, '') AS title, s.state, s.attempts, s.what,
            s.made_at AS "madeAt", s.sent_at AS "sentAt", s.next_at AS "nextAt"
       FROM notice_sends s JOIN notices n ON n.id = s.notice_id LEFT JOIN runs r ON r.id = s.run_id LEFT JOIN jobs j ON j.id = r.job_id
      WHERE $1::bigint IS NULL OR s.run_id = $1 ORDER BY s.id DESC LIMIT 200`,
    [runId ?? null],
  )
}

async function check(tx: Tx, notice: Notice): Promise<void> {
  const { jobId, areaId, action } = notice
  if (jobId !== null && !(await maybeOne(tx, 'SELECT 1 FROM jobs WHERE id = $1 AND deleted_at IS NULL', [jobId])))
    throw invalid('jobId', 'There is no such job or flow.')
  if (areaId !== null && !(await maybeOne(tx, 'SELECT 1 FROM areas WHERE id = $1', [areaId])))
    throw invalid('areaId', 'There is no such area.')
  if (action.kind === 'mail' && !(await mailServerNamed(tx, action.server)))
    throw invalid('action.server', `There is no mail server ${action.server}.`)
  const what = await resolved(tx, notice)
  if (what.account === null) return
  const used = await accountNamed(tx, what.account)
  if (!used) throw invalid('account', `There is no account ${what.account}.`)
  const fault = accountFault(used, await areaOf(tx, notice), what.action)
  if (fault !== null) throw invalid(action.kind === 'mail' ? 'action.server' : 'account', fault)
}

const valuesOf = (notice: Notice): unknown[] => [
  notice.title,
  notice.active,
  notice.jobId,
  notice.areaId,
  notice.events,
  JSON.stringify(notice.action),
  notice.account,
]

export async function addNotice(actor: Actor, notice: Notice): Promise<{ id: number }> {
  return transaction((tx) => addNoticeIn(tx, actor, notice))
}

export async function addNoticeIn(tx: Tx, actor: Actor, notice: Notice): Promise<{ id: number }> {
  requireRight(actor, 'design')
  await check(tx, notice)
  const { id } = await one<{ id: number }>(
    tx,
    `INSERT INTO notices (title, active, job_id, area_id, events, action, account, changed_by)
     VALUES ($1, $2, $3, $4, $5, $6, $7, $8) RETURNING id`,
    [...valuesOf(notice), actor.name],
  )
  await record(tx, actor, 'added', { type: 'notice', id, title: notice.title }, notice)
  return { id }
}

export async function saveNotice(actor: Actor, id: number, notice: Notice): Promise<void> {
  requireRight(actor, 'design')
  await transaction(async (tx) => {
    const before = await maybeOne<NoticeRow>(tx, `${ROWS} WHERE n.id = $1`, [id])
    if (!before) throw notFound('notice', id)
    await check(tx, notice)
    // Switched on again, it does not tell what happened meanwhile.
    await execute(
      tx,
      `UPDATE notices SET title = $2, since = CASE WHEN $3 AND NOT active THEN now() ELSE since END, active = $3, job_id = $4, area_id = $5,
              events = $6, action = $7, account = $8, changed_by = $9, changed_at = now() WHERE id = $1`,
      [id, ...valuesOf(notice), actor.name],
    )
    await record(tx, actor, 'changed', { type: 'notice', id, title: notice.title }, difference(before, notice))
  })
}

export async function removeNotice(actor: Actor, id: number): Promise<void> {
  requireRight(actor, 'design')
  await transaction(async (tx) => {
    const [row] = await many<{ title: string }>(tx, 'DELETE FROM notices WHERE id = $1 RETURNING title', [id])
    if (!row) throw notFound('notice', id)
    await record(tx, actor, 'removed', { type: 'notice', id, title: row.title })
  })
}

/** Sends it once, now, with made-up facts; what came of it is the answer. */
export async function tryNotice(actor: Actor, notice: Notice): Promise<{ lines: string[] }> {
  requireRight(actor, 'design')
  await transaction((tx) => check(tx, notice))
  const facts = Object.fromEntries(NOTICE_FACTS.map((name) => [name, EXAMPLE[name] ?? `(${name})`])) as NoticeFacts
  const lines: string[] = []
  try {
    await send(notice, facts, 'a trial', `trial-${Date.now()}`, (line) => lines.push(line), TRIAL)
  } catch (error) {
    if (error instanceof ActFault) throw new Problem('not-now', error.message, [], { lines })
    throw error
  }
  return { lines }
}
/** Of a trial somebody waits for the answer, and sees it. */
const TRIAL = { seconds: 10, bytes: 1024 * 1024 }
const EXAMPLE: Readonly<Record<string, string>> = {
  event: 'trial',
  title: 'A trial of this notice',
  reason: 'Somebody pressed “Send a trial”.',
  state: 'failed',
  run: '#0',
}

export const sendsQuery = z.object({ run: z.coerce.number().int().positive().optional() })
