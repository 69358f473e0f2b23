import { ActFault, type Context } from '@/act/context'
import { http } from '@/act/http'
import { mail } from '@/act/mail'
import { ticket } from '@/act/ticket'
import { accountSecrets, makeMask } from '@/core/run/mask'
import { fill, type Connection } from '@/core/work/connections'
import { changeWords } from '@/core/compare/changed'
import { mailBy } from '@/core/work/mail-server'
import {
  momentOf,
  MOST_NOTICE_TRIES,
  NOTICE_FACTS,
  noticeSchema,
  noticeWords,
  pauseAfter,
  type Notice,
  type NoticeAction,
  type NoticeEvent,
  type NoticeFacts,
} from '@/core/work/notice'
import { config } from '@/store/config'
import { execute, many, maybeOne, one, type Tx } from '@/store/db'
import { accountFault, accountNamed, signInOf } from '@/service/fleet/accounts'
import { serverMayReach } from './addresses'
import { mailServerNamed } from './mail-servers'
import { pagesUrl } from '@/service/base/pages'
import { lookOf } from '@/service/runs/output-looks'

/** The area whose events a notice tells of; null: all. */
export async function areaOf(
  tx: Tx | null,
  { jobId, areaId }: Pick<Notice, 'jobId' | 'areaId'>,
): Promise<number | null> {
  if (jobId === null) return areaId
  const job = await maybeOne<{ areaId: number }>(tx, 'SELECT area_id AS "areaId" FROM jobs WHERE id = $1', [jobId])
  return job?.areaId ?? null
}

/**
 * Notes what is to be told of runs that ended since an instant, at most a day ago, and of deadlines of open ones. Found again it changes nothing: it follows from the runs alone. What says
 * most of a run comes first.
 */
export async function queueNotices(since = new Date(0)): Promise<number> {
  return execute(
    null,
    // Of an area is of all that lies in it.
    `WITH n AS MATERIALIZED (SELECT *, CASE WHEN area_id IS NOT NULL THEN areas_below(ARRAY[area_id]) END AS areas FROM notices WHERE active)
     INSERT INTO notice_sends (notice_id, run_id, event)
     SELECT n.id, r.id, e.event
       FROM n CROSS JOIN LATERAL unnest(n.events) AS e(event)
       JOIN runs r ON r.flow_run_id IS NULL AND (n.job_id IS NULL OR r.job_id = n.job_id) AND (n.area_id IS NULL OR r.area_id = ANY(n.areas))
        AND (r.ended_at > greatest(n.since, $1, now() - interval '1 day') OR r.deadline_state IS NOT NULL AND r.ended_at IS NULL AND r.created_at > n.since - interval '2 days')
      WHERE CASE e.event
              WHEN 'failed' THEN r.state IN ('failed','lost')
              WHEN 'ended' THEN r.ended_at IS NOT NULL
              WHEN 'at-risk' THEN r.ended_at IS NULL AND r.deadline_state = 'at-risk'
              WHEN 'late' THEN r.ended_at IS NULL AND r.deadline_state = 'late' OR r.ended_at > r.due_at
              WHEN 'recovered' THEN r.state = 'succeeded' AND 'failed' = (
                SELECT CASE WHEN p.state IN ('failed','lost') THEN 'failed' ELSE p.state END FROM runs p
                 WHERE p.job_id = r.job_id AND p.flow_run_id IS NULL AND p.id <> r.id AND p.ended_at < r.ended_at AND p.state <> 'cancelled'
                 ORDER BY p.ended_at DESC LIMIT 1)
              ELSE false END
      ORDER BY array_position(ARRAY['failed','recovered','late','at-risk','ended'], e.event), n.id
     ON CONFLICT DO NOTHING`,
    [since],
  )
}

/** Notes that it is told of a run that its output has changed, in the transaction that finds it. */
export async function queueChanged(tx: Tx, runId: number): Promise<void> {
  await execute(
    tx,
    `INSERT INTO notice_sends (notice_id, run_id, event)
     SELECT n.id, r.id, 'changed' FROM runs r JOIN notices n ON n.active AND 'changed' = ANY(n.events)
        AND (n.job_id IS NULL OR n.job_id = r.job_id) AND (n.area_id IS NULL OR r.area_id = ANY(areas_below(ARRAY[n.area_id])))
      WHERE r.id = $1 ORDER BY n.id ON CONFLICT DO NOTHING`,
    [runId],
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
  // Who failed before lets others go first: they may tell the same people.
  due.sort((a, b) => a.attempts - b.attempts || a.id - b.id)
  const ready: { readonly of: Due; readonly action: NoticeAction; readonly facts: NoticeFacts }[] = []
  // Whom each tells is settled one after the other, the first first; then all are sent at once.
  for (const each of due) {
    try {
      const facts = await factsOf(each.runId, each.event)
      const action = await stillToTell(each, noticeSchema.shape.action.parse(each.action), facts)
      if (action) ready.push({ of: each, action, facts })
    } catch (error) {
      await putOff(each, error)
    }
  }
  await Promise.all(
    ready.map(async ({ of, action, facts }) => {
      try {
        await send({ ...of, action }, facts, `#${of.runId}`, `notice-${of.id}`, () => undefined)
        await markSent(of.id, noticeWords(action, facts))
      } catch (error) {
        await putOff(of, error)
      }
    }),
  )
  return due.length
}

const markSent = (id: number, what: string): Promise<number> =>
  execute(null, `UPDATE notice_sends SET state = 'sent', sent_at = now(), what = $2 WHERE id = $1`, [id, what])

/** It is tried again later, or given up; whom it would have told another may tell. */
async function putOff({ id, attempts }: Due, error: unknown): Promise<void> {
  await execute(null, 'DELETE FROM notice_tellings WHERE send_id = $1', [id])
  await execute(
    null,
    'UPDATE notice_sends SET state = $2, what = $3, next_at = now() + make_interval(secs => $4) WHERE id = $1',
    [
      id,
      attempts >= MOST_NOTICE_TRIES ? 'given up' : 'waiting',
      error instanceof ActFault ? error.message : 'It could not be sent.',
      pauseAfter(attempts),
    ],
  )
}

const WAITS_FOR_OTHER_SECONDS = 30

/**
 * What is left to send of it: a person is told one thing of a run's moment once, whichever notices name them. Null: nothing is left, or not yet, while the sending that tells them
 * is under way.
 */
async function stillToTell(
  { id, event, runId, attempts }: Due,
  action: NoticeAction,
  facts: NoticeFacts,
): Promise<NoticeAction | null> {
  if (action.kind !== 'mail') return action
  const named = [...new Map(action.to.map((text) => [fill(text, facts).trim().toLowerCase(), text])).entries()]
  const blind = await mayNotSee(
    runId,
    named.map(([address]) => address),
  )
  const to = named.filter(([address]) => !blind.has(address))
  if (to.length === 0) {
    await markSent(id, 'nobody named here may see what it is about')
    return null
  }
  const told = await many<{ address: string; isMine: boolean; isSent: boolean }>(
    null,
    `WITH mine AS (
       INSERT INTO notice_tellings (run_id, moment, address, send_id) SELECT $1, $2, a, $4 FROM unnest($3::text[]) AS u(a)
       ON CONFLICT DO NOTHING RETURNING address)
     SELECT address, true AS "isMine", false AS "isSent" FROM mine
     UNION ALL
     SELECT t.address, t.send_id = $4, s.state = 'sent' FROM notice_tellings t JOIN notice_sends s ON s.id = t.send_id
      WHERE t.run_id = $1 AND t.moment = $2 AND t.address = ANY($3)`,
    [runId, momentOf(event), to.map(([address]) => address), id],
  )
  const mine = new Set(told.filter(({ isMine }) => isMine).map(({ address }) => address))
  if (mine.size > 0) return { ...action, to: to.filter(([address]) => mine.has(address)).map(([, text]) => text) }
  if (told.every(({ isSent }) => isSent)) await markSent(id, 'everybody named here was told by another notice')
  else
    await execute(
      null,
      `UPDATE notice_sends SET attempts = $2, what = 'another notice is telling them', next_at = now() + make_interval(secs => $3) WHERE id = $1`,
      [id, attempts - 1, WAITS_FOR_OTHER_SECONDS],
    )
  return null
}

/** Addresses of people here who may not see a run. Whose address is nobody's here is told: whoever named it chose it. */
async function mayNotSee(runId: number, addresses: readonly string[]): Promise<ReadonlySet<string>> {
  const rows = await many<{ address: string }>(
    null,
    `SELECT lower(p.email) AS address FROM people p WHERE lower(p.email) = ANY($2)
        AND NOT (p.active AND EXISTS (SELECT FROM runs r JOIN jobs j ON j.id = r.job_id JOIN area_rights(p.id) a ON a.area_id = j.area_id WHERE r.id = $1))`,
    [runId, addresses],
  )
  return new Set(rows.map(({ address }) => address))
}

async function factsOf(runId: number, event: NoticeEvent): Promise<NoticeFacts> {
  const row = await one<Record<string, string | null>>(
    null,
    `SELECT j.title, a.path AS area, '#' || r.id AS run, r.state, coalesce(f.step_path, '') AS step, r.reason AS "runReason", f.reason AS "stepReason",
            coalesce((SELECT t.telling_line FROM attempts t WHERE t.run_id = coalesce(f.id, r.id) ORDER BY t.number DESC LIMIT 1), '') AS line,
            coalesce(g.name, '') AS machine, to_char(r.started_at AT TIME ZONE $2, 'YYYY-MM-DD HH24:MI') AS started,
            to_char(r.ended_at AT TIME ZONE $2, 'YYYY-MM-DD HH24:MI') AS ended, to_char(r.due_at AT TIME ZONE $2, 'YYYY-MM-DD HH24:MI') AS due
       FROM runs r JOIN jobs j ON j.id = r.job_id JOIN areas a ON a.id = r.area_id
       LEFT JOIN LATERAL (SELECT s.id, s.step_path, s.agent_id, s.reason FROM runs s WHERE s.flow_run_id = r.id AND s.state IN ('failed','lost') ORDER BY s.ended_at LIMIT 1) f ON true
       LEFT JOIN agents g ON g.id = coalesce(f.agent_id, r.agent_id)
      WHERE r.id = $1`,
    [runId, config().zone],
  )
  const look = event === 'changed' ? await lookOf(runId) : null
  const all: Readonly<Record<string, string | null>> = {
    ...row,
    event,
    reason: look?.change ? changeWords(look.change, look.before ?? 0) : reasonOf(event, row),
    link: `${await pagesUrl()}/runs/${runId}`,
  }
  return Object.fromEntries(NOTICE_FACTS.map((name) => [name, all[name] ?? ''])) as NoticeFacts
}

/** Why it is told, in a sentence or two that stand for themselves. */
function reasonOf(event: NoticeEvent, row: Readonly<Record<string, string | null>>): string {
  const { runReason, stepReason, step, ended, due } = row
  if (event === 'late')
    return ended ? `It ended at ${ended}; it was due at ${due}.` : `It was due at ${due} and has not ended.`
  if (event === 'at-risk') return `It is due at ${due}. As things stand it ends later.`
  if (event === 'recovered') return 'It succeeded, after a failure.'
  const own = row.state === 'succeeded' ? 'It succeeded.' : (runReason ?? '')
  return stepReason ? `${own} ${step}: ${stepReason}`.trim() : own
}

/** Sends it now. Throws an ActFault where it cannot be. */
export async function send(
  notice: Pick<Notice, 'action' | 'account' | 'jobId' | 'areaId'>,
  facts: NoticeFacts,
  run: string,
  key: string,
  say: (line: string) => void,
  limits: Context['limits'] = { seconds: 60, bytes: 1024 * 1024 },
  attachments: NonNullable<Context['attachments']> = [],
): Promise<void> {
  const { action, account } = await resolved(null, notice)
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
    attachments,
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

/** A notice as the action that is carried out, and who signs in for it. Throws an ActFault where its mail server is gone. */
export async function resolved(
  tx: Tx | null,
  { action, account }: Pick<Notice, 'action' | 'account'>,
): Promise<{
  readonly action: Extract<Connection, { kind: 'mail' | 'ticket' | 'http' }>
  readonly account: string | null
}> {
  if (action.kind !== 'mail') return { action, account }
  const server = await mailServerNamed(tx, action.server)
  if (!server) throw new ActFault(`The mail server ${action.server} is gone.`)
  return { action: mailBy(server, action), account: server.account }
}
