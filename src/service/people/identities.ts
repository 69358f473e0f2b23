import { randomUUID } from 'node:crypto'
import { execute, many, one, transaction } from '@/store/db'
import { onServer, schemaOf } from '@/store/organisation'
import { knownOrganisations } from '@/store/organisations'

/** A person as the server knows them: the number is one within an organisation. */
export interface Membership {
  readonly organisationId: number
  readonly personId: number
}

export interface Account extends Membership {
  readonly passwordHash: string | null
  readonly active: boolean
  /** When a session of theirs was last used, milliseconds since the epoch; 0: none is there. */
  readonly lastSeenMs: number
}

/** Who has this address, in all organisations that are switched on. @param email in lower case */
export async function accountsWith(email: string): Promise<Account[]> {
  const there = (await knownOrganisations()).filter((one) => one.active)
  return onServer(() =>
    many<Account>(
      null,
      there
        .map(
          ({
            id,
          }) => `SELECT ${id} AS "organisationId", p.id AS "personId", p.password_hash AS "passwordHash", p.active,
              coalesce((SELECT floor(extract(epoch FROM max(s.last_seen_at)) * 1000)::bigint FROM ${schemaOf(id)}.sessions s WHERE s.person_id = p.id), 0) AS "lastSeenMs"
         FROM ${schemaOf(id)}.people p WHERE p.kind = 'person' AND lower(p.email) = $1`,
        )
        .join(' UNION ALL '),
      [email],
    ),
  )
}

/** Whether these are known as one person already. */
async function areOne(of: readonly Membership[]): Promise<boolean> {
  const { is } = await onServer(() =>
    one<{ is: boolean }>(
      null,
      `SELECT count(*) = $3 AND count(DISTINCT i.identity) = 1 AS is FROM bugle_server.identities i
         JOIN unnest($1::int[], $2::bigint[]) AS u(o, p) ON u.o = i.organisation_id AND u.p = i.person_id`,
      [of.map((each) => each.organisationId), of.map((each) => each.personId), of.length],
    ),
  )
  return is
}

/** These have shown that they are one person. What would make somebody two people of one organisation is left as it is. */
export async function joinIdentities(of: readonly Membership[]): Promise<void> {
  // Said with every signing in: it is written once.
  if (await areOne(of)) return
  await onServer(() =>
    transaction(async (tx) => {
      await execute(tx, 'LOCK TABLE bugle_server.identities IN EXCLUSIVE MODE')
      const known = await many<Membership & { identity: string }>(
        tx,
        `SELECT i.organisation_id AS "organisationId", i.person_id AS "personId", i.identity FROM bugle_server.identities i
          WHERE i.identity IN (SELECT k.identity FROM bugle_server.identities k JOIN unnest($1::int[], $2::bigint[]) AS u(o, p) ON u.o = k.organisation_id AND u.p = k.person_id)`,
        [of.map((one) => one.organisationId), of.map((one) => one.personId)],
      )
      const all = new Map([...known, ...of].map((one) => [`${one.organisationId} ${one.personId}`, one]))
      const organisations = [...all.values()].map(({ organisationId }) => organisationId)
      if (new Set(organisations).size < organisations.length) return
      const identity = known[0]?.identity ?? randomUUID()
      for (const { organisationId, personId } of all.values())
        await execute(
          tx,
          `INSERT INTO bugle_server.identities VALUES ($1, $2, $3) ON CONFLICT (organisation_id, person_id) DO UPDATE SET identity = excluded.identity`,
          [organisationId, personId, identity],
        )
    }),
  )
}

/** From now on this account is nobody's elsewhere: somebody else may have set its password. */
export async function leaveIdentity({ organisationId, personId }: Membership): Promise<void> {
  await onServer(() =>
    execute(null, 'DELETE FROM bugle_server.identities WHERE organisation_id = $1 AND person_id = $2', [
      organisationId,
      personId,
    ]),
  )
}

/** The other accounts of the same person, in organisations that are switched on, and good there. */
export async function othersOf({ organisationId, personId }: Membership): Promise<(Membership & { title: string })[]> {
  const titles = new Map((await knownOrganisations()).filter((one) => one.active).map(({ id, title }) => [id, title]))
  return onServer(async () => {
    const others = await many<Membership>(
      null,
      `SELECT i.organisation_id AS "organisationId", i.person_id AS "personId" FROM bugle_server.identities mine JOIN bugle_server.identities i ON i.identity = mine.identity
        WHERE mine.organisation_id = $1 AND mine.person_id = $2 AND i.organisation_id <> $1`,
      [organisationId, personId],
    )
    const good: (Membership & { title: string })[] = []
    for (const one of others) {
      const title = titles.get(one.organisationId)
      if (title === undefined) continue
      const [person] = await many<{ active: boolean }>(
        null,
        `SELECT active FROM ${schemaOf(one.organisationId)}.people WHERE id = $1`,
        [one.personId],
      )
      if (person?.active) good.push({ ...one, title })
    }
    return good.sort((a, b) => a.title.localeCompare(b.title))
  })
}
