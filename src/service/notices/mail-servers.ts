import { someOf } from '@/core/phrase/some-of'
import { mailBy, type MailServer } from '@/core/work/mail-server'
import { execute, many, maybeOne, one, sqlState, transaction, UNIQUE_VIOLATION, type Tx } from '@/store/db'
import { accountFault, accountNamed } from '@/service/fleet/accounts'
import { requireRight, type Actor } from '@/service/base/actor'
import { difference, record } from '@/service/base/audit'
import { invalid, notFound, Problem } from '@/service/base/problem'

export interface MailServerRow extends MailServer {
  readonly id: number
  /** Notices that go out by it. */
  readonly notices: number
  readonly changedBy: string
  readonly changedAt: string
}

const COLUMNS = 's.name, s.host, s.port, s.tls, s.sender AS "from", s.account'

export async function listMailServers(actor: Actor): Promise<MailServerRow[]> {
  requireRight(actor, 'see')
  return many<MailServerRow>(
    null,
    `SELECT s.id, ${COLUMNS}, s.changed_by AS "changedBy", s.changed_at AS "changedAt",
            (SELECT count(*) FROM notices n WHERE n.action->>'server' = s.name)::int AS notices
       FROM mail_servers s ORDER BY s.name`,
  )
}

/** The one of this name; with a transaction it stays until that is over. */
export const mailServerNamed = (tx: Tx | null, name: string): Promise<MailServer | undefined> =>
  maybeOne<MailServer>(tx, `SELECT ${COLUMNS} FROM mail_servers s WHERE s.name = $1 ${tx ? 'FOR SHARE' : ''}`, [name])

const valuesOf = ({ name, host, port, tls, from, account }: MailServer): unknown[] => [
  name,
  host,
  port,
  tls,
  from,
  account,
]

async function check(tx: Tx, server: MailServer): Promise<void> {
  const { account } = server
  if (account === null) return
  const used = await accountNamed(tx, account)
  if (!used) throw invalid('account', `There is no account ${account}.`)
  // Whether notices of an area may use it is asked of each.
  const fault = accountFault({ ...used, areaIds: null }, null, mailBy(server, { to: [], subject: '', text: '' }))
  if (fault !== null) throw invalid('account', fault)
}

export async function addMailServer(actor: Actor, request: MailServer): Promise<{ id: number }> {
  try {
    return await transaction((tx) => addMailServerIn(tx, actor, request))
  } catch (error) {
    if (sqlState(error) === UNIQUE_VIOLATION)
      throw invalid('name', `There is a mail server called ${request.name} already.`)
    throw error
  }
}

export async function addMailServerIn(tx: Tx, actor: Actor, request: MailServer): Promise<{ id: number }> {
  requireRight(actor, 'administer')
  await check(tx, request)
  const { id } = await one<{ id: number }>(
    tx,
    `INSERT INTO mail_servers (name, host, port, tls, sender, account, changed_by) VALUES ($1, $2, $3, $4, $5, $6, $7) RETURNING id`,
    [...valuesOf(request), actor.name],
  )
  await record(tx, actor, 'added', { type: 'mail server', id, title: request.name }, request)
  return { id }
}

async function locked(tx: Tx, id: number): Promise<MailServer> {
  const row = await maybeOne<MailServer>(tx, `SELECT ${COLUMNS} FROM mail_servers s WHERE s.id = $1 FOR UPDATE`, [id])
  if (!row) throw notFound('mail server', id)
  return row
}

/** Changes everything but its name, by which notices know it: what waits to be sent goes out by what is there now. */
export async function changeMailServer(actor: Actor, id: number, request: Omit<MailServer, 'name'>): Promise<void> {
  requireRight(actor, 'administer')
  await transaction(async (tx) => {
    const before = await locked(tx, id)
    const { name } = before
    await check(tx, { ...request, name })
    await execute(
      tx,
      `UPDATE mail_servers SET host = $2, port = $3, tls = $4, sender = $5, account = $6, changed_by = $7, changed_at = now() WHERE name = $1`,
      [...valuesOf({ ...request, name }), actor.name],
    )
    await record(tx, actor, 'changed', { type: 'mail server', id, title: name }, difference(before, request))
  })
}

/** Only one that no notice names. */
export async function removeMailServer(actor: Actor, id: number): Promise<void> {
  requireRight(actor, 'administer')
  await transaction(async (tx) => {
    const { name } = await locked(tx, id)
    const users = await many<{ title: string }>(
      tx,
      `SELECT title FROM notices WHERE action->>'server' = $1 ORDER BY title LIMIT 1000`,
      [name],
    )
    if (users.length > 0)
      throw new Problem(
        'not-now',
        `${someOf(
          users.map(({ title }) => `“${title}”`),
          5,
        )} ${users.length === 1 ? 'goes' : 'go'} out by it. Give ${users.length === 1 ? 'it' : 'them'} another first.`,
      )
    await execute(tx, 'DELETE FROM mail_servers WHERE id = $1', [id])
    await record(tx, actor, 'removed', { type: 'mail server', id, title: name })
  })
}
