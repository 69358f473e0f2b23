import { z } from 'zod'
import { ActFault, type Context } from '@/act/context'
import { http } from '@/act/http'
import { mail } from '@/act/mail'
import { ticket } from '@/act/ticket'
import { accountSecrets, makeMask } from '@/core/run/mask'
import {
  MOST_NOTICE_TRIES,
  NOTICE_FACTS,
  noticeSchema,
  noticeWords,
  pauseAfter,
  type Notice,
  type NoticeEvent,
  type NoticeFacts,
} from '@/core/work/notice'
import { config } from '@/store/config'
import { execute, many, maybeOne, one, transaction, type Tx } from '@/store/db'
import { accountNamed, signInOf, accountFault } from './accounts'
import { requireRight, type Actor } from './actor'
import { serverMayReach } from './addresses'
import { difference, record } from './audit'
import { invalid, notFound, Problem } from './problem'

export interface NoticeRow extends Notice {
  readonly id: number
  /** What it is of: a job or flow, an area, or everything. */
  readonly of: string
  readonly changedBy: string
  readonly changedAt: string
}

const ROWS = `
  SELECT n.id, n.title, n.active, n.job_id AS "jobId", n.area_id AS "areaId", n.events, n.action, n.account, n.changed_by AS "changedBy",
         n.changed_at AS "changedAt", coalesce(j.title, a.title, 'everything') AS of
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
  const { jobId, areaId, account } = notice
  if (jobId !== null && !(await maybeOne(tx, 'SELECT 1 FROM jobs WHERE id = $1 AND deleted_at IS NULL', [jobId])))
    throw invalid('jobId', 'There is no such job or flow.')
  if (areaId !== null && !(await maybeOne(tx, 'SELECT 1 FROM areas WHERE id = $1', [areaId])))
    throw invalid('areaId', 'There is no such area.')
  if (account === null) return
  const used = await accountNamed(tx, account)
  if (!used) throw invalid('account', `There is no account ${account}.`)
  const fault = accountFault(used, await areaOf(tx, notice), notice.action)
  if (fault !== null) throw invalid('account', fault)
}

/** The area whose events a notice tells of; null: all. */
async function areaOf(tx: Tx | null, { jobId, areaId }: Pick<Notice, 'jobId' | 'areaId'>): Promise<number | null> {
  if (jobId === null) return areaId
  const job = await maybeOne<{ areaId: number }>(tx, 'SELECT area_id AS "areaId" FROM jobs WHERE id = $1', [jobId])
  return job?.areaId ?? null
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

/** Notes what is to be told of what has happened since it was looked at last. Found again it changes nothing: it follows from the runs alone. */
export async function queueNotices(): Promise<number> {
  return execute(
    null,
    `INSERT INTO notice_sends (notice_id, run_id, event)
     SELECT n.id, r.id, e.event
       FROM notices n CROSS JOIN LATERAL unnest(n.events) AS e(event)
       JOIN runs r ON r.flow_run_id IS NULL AND (n.job_id IS NULL OR r.job_id = n.job_id) AND (n.area_id IS NULL OR r.area_id = n.area_id)
        AND (r.ended_at > greatest(n.since, now() - interval '1 day') OR r.deadline_state IS NOT NULL AND r.ended_at IS NULL AND r.created_at > n.since - interval '2 days')
      WHERE n.active AND CASE e.event
              WHEN 'failed' THEN r.state IN ('failed','lost')
              WHEN 'ended' THEN r.ended_at IS NOT NULL
              WHEN 'at-risk' THEN r.ended_at IS NULL AND r.deadline_state = 'at-risk'
              WHEN 'late' THEN r.ended_at IS NULL AND r.deadline_state = 'late' OR r.ended_at > r.due_at
              WHEN 'recovered' THEN r.state = 'succeeded' AND 'failed' = (
                SELECT CASE WHEN p.state IN ('failed','lost') THEN 'failed' ELSE p.state END FROM runs p
                 WHERE p.job_id = r.job_id AND p.flow_run_id IS NULL AND p.id <> r.id AND p.ended_at < r.ended_at AND p.state <> 'cancelled'
                 ORDER BY p.ended_at DESC LIMIT 1)
              ELSE false END
     ON CONFLICT DO NOTHING`,
  )
}

interface Due {
  readonly id: number
  readonly event: NoticeEvent
  readonly runId: number
  readonly attempts: number
  readonly action: unknown
  readonly account: string | null
  readonly title: string
  readonly jobId: number | null
  readonly areaId: number | null
}

/** Sends what waits. Told to nobody before it is noted as tried, it is tried again after a crash: at least once, and mostly once. */
export async function sendNotices(): Promise<number> {
  const due = await many<Due>(
    null,
    `UPDATE notice_sends s SET attempts = s.attempts + 1, next_at = now() + make_interval(secs => 120)
       FROM notices n
      WHERE n.id = s.notice_id AND s.id IN (SELECT id FROM notice_sends WHERE state = 'waiting' AND next_at <= now() ORDER BY id LIMIT 20 FOR UPDATE SKIP LOCKED)
     RETURNING s.id, s.event, s.run_id AS "runId", s.attempts, n.action, n.account, n.title, n.job_id AS "jobId", n.area_id AS "areaId"`,
  )
  await Promise.all(
    due.map(async ({ id, event, runId, attempts, ...notice }) => {
      try {
        const facts = await factsOf(runId, event)
        const action = noticeSchema.shape.action.parse(notice.action)
        await send({ ...notice, action }, facts, `#${runId}`, `notice-${id}`, () => undefined)
        await execute(null, `UPDATE notice_sends SET state = 'sent', sent_at = now(), what = $2 WHERE id = $1`, [
          id,
          noticeWords(action, facts),
        ])
      } catch (error) {
        const isOver = attempts >= MOST_NOTICE_TRIES
        await execute(
          null,
          'UPDATE notice_sends SET state = $2, what = $3, next_at = now() + make_interval(secs => $4) WHERE id = $1',
          [
            id,
            isOver ? 'given up' : 'waiting',
            error instanceof ActFault ? error.message : 'It could not be sent.',
            pauseAfter(attempts),
          ],
        )
      }
    }),
  )
  return due.length
}

async function factsOf(runId: number, event: NoticeEvent): Promise<NoticeFacts> {
  const row = await one<Record<string, string | null>>(
    null,
    `SELECT j.title, a.title AS area, '#' || r.id AS run, r.state, r.reason, coalesce(f.step_path, '') AS step,
            coalesce((SELECT t.telling_line FROM attempts t WHERE t.run_id = coalesce(f.id, r.id) ORDER BY t.number DESC LIMIT 1), '') AS line,
            coalesce(g.name, '') AS machine, to_char(r.started_at AT TIME ZONE $2, 'YYYY-MM-DD HH24:MI') AS started,
            to_char(r.ended_at AT TIME ZONE $2, 'YYYY-MM-DD HH24:MI') AS ended, to_char(r.due_at AT TIME ZONE $2, 'YYYY-MM-DD HH24:MI') AS due
       FROM runs r JOIN jobs j ON j.id = r.job_id JOIN areas a ON a.id = r.area_id
       LEFT JOIN LATERAL (SELECT s.id, s.step_path, s.agent_id FROM runs s WHERE s.flow_run_id = r.id AND s.state IN ('failed','lost') ORDER BY s.ended_at LIMIT 1) f ON true
       LEFT JOIN agents g ON g.id = coalesce(f.agent_id, r.agent_id)
      WHERE r.id = $1`,
    [runId, config().zone],
  )
  const link = `${config().publicUrl}/runs/${runId}`
  const all: Readonly<Record<string, string | null>> = { ...row, event, link }
  return Object.fromEntries(NOTICE_FACTS.map((name) => [name, all[name] ?? ''])) as NoticeFacts
}

async function send(
  notice: Pick<Notice, 'action' | 'account' | 'jobId' | 'areaId'>,
  facts: NoticeFacts,
  run: string,
  key: string,
  say: (line: string) => void,
  limits: Context['limits'] = { seconds: 60, bytes: 1024 * 1024 },
): Promise<void> {
  const { action, account } = notice
  const used = account === null ? null : await accountNamed(null, account)
  if (used === undefined) throw new ActFault(`The account ${account} is gone.`)
  const fault = used && accountFault(used, await areaOf(null, notice), action, facts)
  if (fault) throw new ActFault(fault)
  const signsIn = used && signInOf(used)
  const mask = makeMask(signsIn ? accountSecrets(signsIn.user, signsIn.secret) : [])
  const tell = (line: string): void => say(mask(line))
  const context: Context = {
    values: facts,
    account: signsIn,
    run: key,
    attempt: '1',
    reference: run,
    mayReach: await serverMayReach(),
    limits,
    say: tell,
    warn: tell,
    hand: () => undefined,
  }
  try {
    if (action.kind === 'mail') await mail(action, context)
    else if (action.kind === 'ticket') await ticket(action, context)
    else if (action.kind === 'http') await http(action, context)
  } catch (error) {
    throw error instanceof ActFault ? new ActFault(mask(error.message)) : error
  }
}

export const sendsQuery = z.object({ run: z.coerce.number().int().positive().optional() })
