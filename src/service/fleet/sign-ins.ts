import { execute, many, maybeOne, transaction, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { accountContext, unseal } from '@/store/seal'
import { closeTrouble, openTrouble } from '@/service/base/trouble'
import { addAgentEvent } from './fleet'

/** Asks for these robots' accounts to be tried on their machines: as soon as each of their agents can be reached. */
export async function askForTries(tx: Tx, robotIds: readonly number[]): Promise<void> {
  await execute(tx, `UPDATE robots SET try_token = nextval('lease_tokens') WHERE id = ANY($1) AND removed_at IS NULL`, [
    robotIds,
  ])
  await notify(tx, { fleet: true, deliver: true })
}

/** The secret of this account is another one now: whether it works is seen at once, wherever robots use it. */
export async function askForTriesOf(tx: Tx, accountId: number): Promise<void> {
  const rows = await many<{ id: number }>(tx, 'SELECT id FROM robots WHERE account_id = $1 AND removed_at IS NULL', [
    accountId,
  ])
  if (rows.length > 0)
    await askForTries(
      tx,
      rows.map(({ id }) => id),
    )
}

interface Try {
  readonly agentId: number
  readonly ask: number
  readonly user: string
  readonly secret: string | null
}

/** Sign-ins that these agents are to try. Secrets are opened here and nowhere before; one that cannot be opened is its robot's fault, and nobody else's. */
export async function triesToDeliver(
  to: readonly { readonly agentId: number; readonly connection: number }[],
): Promise<Try[]> {
  const rows = await many<{ agentId: number; ask: number; accountId: number; user: string; secret: Buffer | null }>(
    null,
    `SELECT b.agent_id AS "agentId", b.try_token AS ask, c.id AS "accountId", c.user_name AS user, c.secret
       FROM unnest($1::bigint[], $2::bigint[]) AS u(agent_id, connection)
       JOIN agent_contacts k ON k.agent_id = u.agent_id AND k.connection = u.connection
       JOIN robots b ON b.agent_id = u.agent_id AND b.try_token IS NOT NULL AND b.removed_at IS NULL JOIN accounts c ON c.id = b.account_id
      ORDER BY b.try_token LIMIT 500`,
    [to.map(({ agentId }) => agentId), to.map(({ connection }) => connection)],
  )
  const tries: Try[] = []
  for (const { agentId, ask, accountId, user, secret } of rows) {
    try {
      tries.push({ agentId, ask, user, secret: secret && unseal(secret, accountContext(accountId)) })
    } catch (error) {
      await noteTried(agentId, ask, (error as Error).message)
    }
  }
  return tries
}

/** What came of a sign-in; a word about one that nobody asks for any more, or that another agent was asked for, counts for nothing. */
export async function noteTried(agentId: number, ask: number, fault: string | null): Promise<void> {
  await transaction(async (tx) => {
    const robot = await maybeOne<{ id: number; name: string; account: string }>(
      tx,
      `UPDATE robots b SET try_token = NULL, tried_at = now(), try_fault = $3 FROM accounts c
        WHERE b.agent_id = $1 AND b.try_token = $2 AND c.id = b.account_id RETURNING b.id, b.name, c.name AS account`,
      [agentId, ask, fault],
    )
    if (!robot) return
    const { id, name, account } = robot
    await addAgentEvent(tx, agentId, `sign-in of ${name}`, fault === null ? `works as ${account}` : fault)
    if (fault === null) await closeTrouble(tx, [troubleOf(id)], 'it signs in again')
    else
      await openTrouble(tx, {
        subject: troubleOf(id),
        title: `The robot ${name} cannot sign in as ${account}`,
        evidence: fault,
        agentId,
      })
    await notify(tx, { fleet: true, matters: true, place: true })
  })
}

const troubleOf = (robotId: number): string => `sign-in of robot ${robotId}`

/** So many days before the secret of an account is no longer good somebody is told; and again on the day itself. */
const WARN_DAYS = [14, 3, 0]

/** Opens matters for secrets that are soon, or no longer, good; closes those of secrets that were changed. */
export async function watchSecrets(): Promise<void> {
  await transaction(async (tx) => {
    const due = await many<{ id: number; name: string; until: Date; days: number; robots: string | null }>(
      tx,
      `SELECT c.id, c.name, c.good_until AS until, d.days, (SELECT string_agg(b.name, ', ' ORDER BY b.name) FROM robots b WHERE b.account_id = c.id AND b.removed_at IS NULL) AS robots
         FROM accounts c CROSS JOIN LATERAL (SELECT min(w) AS days FROM unnest($1::int[]) AS w WHERE c.good_until <= now() + make_interval(days => w)) d
        WHERE d.days IS NOT NULL
          AND NOT EXISTS (SELECT FROM matters m WHERE m.subject = 'secret of account ' || c.id || ' in ' || d.days AND m.last_at >= c.good_until - make_interval(days => d.days))`,
      [WARN_DAYS],
    )
    for (const { id, name, until, days, robots } of due) {
      const when = `${until.toISOString().slice(0, 16).replace('T', ' ')} UTC`
      await closeTrouble(
        tx,
        WARN_DAYS.filter((other) => other > days).map((other) => subjectOf(id, other)),
        'it is told again',
      )
      await openTrouble(tx, {
        subject: subjectOf(id, days),
        title:
          days === 0
            ? `The secret of ${name} is no longer good`
            : `The secret of ${name} is good for ${days} days at most`,
        evidence: `Good until ${when}.${robots === null ? '' : ` Robots that work under it: ${robots}.`} Give the account a new one.`,
      })
    }
    const mended = await many<{ subject: string }>(
      tx,
      `SELECT m.subject FROM matters m WHERE m.kind = 'trouble' AND m.state <> 'closed' AND m.subject LIKE 'secret of account %'
          AND NOT EXISTS (SELECT FROM accounts c WHERE m.subject LIKE 'secret of account ' || c.id || ' in %'
                             AND c.good_until <= now() + make_interval(days => split_part(m.subject, ' in ', 2)::int))`,
    )
    await closeTrouble(
      tx,
      mended.map(({ subject }) => subject),
      'it is good for longer now',
    )
    if (due.length + mended.length > 0) await notify(tx, { matters: true, place: true })
  })
}

const subjectOf = (accountId: number, days: number): string => `secret of account ${accountId} in ${days}`
