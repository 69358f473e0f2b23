import * as client from 'openid-client'
import { ROLES, type Role } from '@/core/people/roles'
import { clipText, storableText } from '@/core/schema/plain-text'
import { COMMAND_LINE, type Actor } from '@/service/base/actor'
import { record } from '@/service/base/audit'
import { hashToken, newToken } from '@/service/base/secrets'
import { takeUpByAddress } from '@/service/letters/invitations'
import { countAttempts } from '@/service/people/attempts'
import { insertPerson } from '@/service/people/people'
import { openSession, type Caller } from '@/service/people/sessions'
import { db, execute, many, maybeOne, transaction, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { sessionContext, unseal } from '@/store/seal'
import { configurationOf } from './client'
import { activeProvider, type Provider } from './providers'

const MINUTES = 10
const MOST_VALUES = 1000
/** Visits begun from one address in a quarter of an hour: an office of people, and no more. */
const MOST_BEGUN = 1000
/** Characters of the number that somebody has there (OpenID Connect Core 1.0, section 2). */
const MOST_SUBJECT = 255

/** Why somebody does not come in, in a word that stands in the address of the sign-in page; it says there what it means. */
export type Turned = 'again' | 'refused' | 'unknown' | 'off' | 'away'
export class TurnedAway extends Error {
  constructor(
    readonly why: Turned,
    /** For the record. */
    readonly detail: string,
  ) {
    super(detail)
  }
}

/** Where our pages hear what the provider said. */
export const backTo = (pages: string): string => `${pages}/api/sign-in/back`

/** Where the browser goes, and what it keeps meanwhile, so that nobody is signed in by somebody else's visit. */
export async function goElsewhere(
  providerId: number,
  goesTo: string,
  { address, pages }: { readonly address: string; readonly pages: string },
): Promise<{ url: string; browser: string }> {
  const [begun = 1] = await countAttempts([{ kind: 'elsewhere', key: address }])
  if (begun > MOST_BEGUN) throw new TurnedAway('again', 'too many visits begun from one address')
  const provider = await activeProvider(null, providerId)
  if (!provider) throw new TurnedAway('again', 'no such provider')
  const configuration = await reached(provider)
  const [state, browser] = [newToken('bgo'), newToken('bgb')]
  const [nonce, verifier] = [client.randomNonce(), client.randomPKCECodeVerifier()]
  await transaction(async (tx) => {
    await execute(tx, 'DELETE FROM provider_visits WHERE expires_at < now()')
    await db().providerVisits.create(
      {
        stateHash: hashToken(state),
        browserHash: hashToken(browser),
        providerId,
        nonce,
        verifier,
        goesTo: goesTo.slice(0, 2000),
        expiresAt: new Date(Date.now() + MINUTES * 60_000),
      },
      { transaction: tx },
    )
  })
  const url = client.buildAuthorizationUrl(configuration, {
    redirect_uri: backTo(pages),
    scope: 'openid profile email',
    state,
    nonce,
    code_challenge: await client.calculatePKCECodeChallenge(verifier),
    code_challenge_method: 'S256',
  })
  return { url: url.href, browser }
}

async function reached(provider: Provider): Promise<client.Configuration> {
  return configurationOf(provider).catch((error: unknown) => {
    throw new TurnedAway('away', wordsOf(error))
  })
}

/** What went wrong, without what was sent: a code of the library, or its words. */
const wordsOf = (error: unknown): string => {
  const { message, code, cause } = error as { message?: string; code?: string; cause?: { message?: string } }
  return clipText(storableText([code, message, cause?.message].filter(Boolean).join(': ')), 300)
}

/**
 * Whoever comes back: the code is exchanged, and what the provider says of them is looked at, all of it (OpenID Connect Core 1.0, section 3.1.3.7, by its package): state, nonce, issuer,
 * audience, signature, time. A visit is good once.
 *
 * @param url as the browser came back, with our pages' own origin
 */
export async function comeBack(
  url: URL,
  browser: string | undefined,
  caller: Caller,
  oldToken?: string,
): Promise<{ token: string; goesTo: string }> {
  const state = url.searchParams.get('state') ?? ''
  const [visit] = await many<{ providerId: number; nonce: string; verifier: string; goesTo: string; isHere: boolean }>(
    null,
    `DELETE FROM provider_visits WHERE state_hash = $1 AND expires_at > now()
     RETURNING provider_id AS "providerId", nonce, verifier, goes_to AS "goesTo", browser_hash = $2 AS "isHere"`,
    [hashToken(state), hashToken(browser ?? '')],
  )
  if (!visit?.isHere) throw new TurnedAway('again', 'the visit is not known, over, or of another browser')
  const provider = await activeProvider(null, visit.providerId)
  if (!provider) throw new TurnedAway('again', 'the provider is switched off')
  try {
    const configuration = await reached(provider)
    const tokens = await client
      .authorizationCodeGrant(configuration, url, {
        expectedState: state,
        expectedNonce: visit.nonce,
        pkceCodeVerifier: visit.verifier,
        idTokenExpected: true,
      })
      .catch((error: unknown) => {
        throw new TurnedAway('refused', wordsOf(error))
      })
    const claims = tokens.claims()
    if (!claims) throw new TurnedAway('refused', 'no claims')
    if (claims.sub.length > MOST_SUBJECT) throw new TurnedAway('refused', 'the subject is too long')
    const personId = await personBy(provider, claims, caller)
    const by = { providerId: provider.id, idToken: tokens.id_token ?? '' }
    const token = await openSession(personId, caller, oldToken, by)
    return { token, goesTo: visit.goesTo }
  } catch (error) {
    if (error instanceof TurnedAway)
      await transaction((tx) =>
        record(tx, nobodyAt(caller, provider), 'sign-in elsewhere refused', objectOf(provider), { why: error.detail }),
      )
    throw error
  }
}

const nobodyAt = ({ address }: Caller, { title }: Provider): Actor => ({
  ...COMMAND_LINE,
  name: `by ${title}`,
  via: 'session',
  address,
})
const objectOf = ({ id, title }: Provider): { type: string; id: number; title: string } => ({
  type: 'sign-in elsewhere',
  id,
  title,
})

type Claims = Readonly<Record<string, unknown>> & { readonly sub: string }

/** Who it is here: as they came before, by an address that the provider has verified, or made anew where it may. */
async function personBy(provider: Provider, claims: Claims, caller: Caller): Promise<number> {
  const actor = nobodyAt(caller, provider)
  const email = typeof claims.email === 'string' ? clipText(storableText(claims.email.trim()), 200) : ''
  const isVerified = claims.email_verified === true && /^\S+@\S+$/.test(email)
  return transaction(async (tx) => {
    await execute(tx, 'SELECT id FROM providers WHERE id = $1 FOR UPDATE', [provider.id])
    const known =
      (await maybeOne<Found>(
        tx,
        'SELECT p.id, p.active, p.role FROM provider_people s JOIN people p ON p.id = s.person_id WHERE s.provider_id = $1 AND s.subject = $2',
        [provider.id, claims.sub],
      )) ??
      (isVerified
        ? await maybeOne<Found>(tx, 'SELECT id, active, role FROM people WHERE lower(email) = lower($1)', [email])
        : undefined)
    if (known?.active === false) throw new TurnedAway('off', 'the person is switched off')
    const person = known ?? (await madeBy(tx, provider, actor, claims, isVerified ? email : ''))
    await execute(tx, 'INSERT INTO provider_people VALUES ($1, $2, $3) ON CONFLICT DO NOTHING', [
      provider.id,
      claims.sub,
      person.id,
    ])
    await giveWhatRulesGive(tx, provider, actor, person, claims)
    return person.id
  })
}

interface Found {
  readonly id: number
  readonly active: boolean
  readonly role: Role
}

async function madeBy(tx: Tx, provider: Provider, actor: Actor, claims: Claims, email: string): Promise<Found> {
  // Whoever was invited has been let in already, whatever the provider may.
  const invitation = email === '' ? undefined : await takeUpByAddress(tx, email)
  if (!invitation && !provider.makesPeople) throw new TurnedAway('unknown', `nobody here is ${email || 'this person'}`)
  if (email === '') throw new TurnedAway('unknown', 'the provider gives no verified address')
  const said = [claims.name, claims.preferred_username].find((one) => typeof one === 'string' && one.trim() !== '')
  const name = clipText(storableText(String(said ?? email)).trim(), 100)
  const role = invitation?.role ?? provider.role
  const { id } = await insertPerson(tx, actor, { email, name, role, passwordHash: null })
  await invitation?.giveAreas(id)
  await notify(tx, { people: true })
  return { id, active: true, role }
}

/** Role and groups as the claims say, each time they come: what a rule speaks of is given and taken, all else stays. */
async function giveWhatRulesGive(
  tx: Tx,
  { rules, claim, role: usual }: Provider,
  actor: Actor,
  person: Found,
  claims: Claims,
): Promise<void> {
  const said = claims[claim]
  const values = new Set(
    (Array.isArray(said) ? said.slice(0, MOST_VALUES) : [said]).filter((one) => typeof one === 'string'),
  )
  const given = rules.filter(({ value }) => values.has(value))
  const object = { type: 'person', id: person.id, title: String(claims.name ?? claims.sub) }
  if (rules.some(({ role }) => role !== undefined)) {
    const roles = given.flatMap(({ role }) => role ?? [])
    const role = roles.reduce((best, one) => (ROLES.indexOf(one) > ROLES.indexOf(best) ? one : best), usual)
    const isLast =
      person.role === 'administrator' &&
      !(await maybeOne(tx, `SELECT 1 AS one FROM people WHERE role = 'administrator' AND active AND id <> $1 LIMIT 1`, [
        person.id,
      ]))
    // The last administrator stays, whatever a provider says.
    if (role !== person.role && !isLast) {
      await execute(tx, 'UPDATE people SET role = $2 WHERE id = $1', [person.id, role])
      await record(tx, actor, 'changed', object, { role: { from: person.role, to: role } })
      await notify(tx, { people: true })
    }
  }
  const spoken = [...new Set(rules.flatMap(({ groupId }) => groupId ?? []))]
  const wanted = [...new Set(given.flatMap(({ groupId }) => groupId ?? []))]
  const gone = await execute(
    tx,
    'DELETE FROM group_members WHERE person_id = $1 AND group_id = ANY($2) AND NOT group_id = ANY($3)',
    [person.id, spoken, wanted],
  )
  const come = await many<{ id: number }>(
    tx,
    'INSERT INTO group_members (group_id, person_id) SELECT g.id, $1 FROM groups g WHERE g.id = ANY($2) ON CONFLICT DO NOTHING RETURNING group_id AS id',
    [person.id, wanted],
  )
  if (gone + come.length === 0) return
  await record(tx, actor, 'changed', object, { groups: wanted })
  await notify(tx, { people: true })
}

const SOON_MS = 2000
const soon = (): Promise<undefined> => new Promise((resolve) => void setTimeout(resolve, SOON_MS, undefined).unref())

/** Where whoever signs out here signs out there, too (OpenID Connect RP-Initiated Logout 1.0); undefined: they came by the password, or the provider has no such place. */
export async function endElsewhere(token: string, pages: string): Promise<string | undefined> {
  const tokenHash = hashToken(token)
  const row = await maybeOne<{ providerId: number; idToken: Buffer }>(
    null,
    'SELECT provider_id AS "providerId", id_token AS "idToken" FROM sessions WHERE token_hash = $1 AND provider_id IS NOT NULL',
    [tokenHash],
  )
  const provider = row && (await activeProvider(null, row.providerId))
  if (!provider) return undefined
  try {
    const configuration = await Promise.race([configurationOf(provider), soon()])
    if (configuration === undefined) return undefined
    if (configuration.serverMetadata().end_session_endpoint === undefined) return undefined
    return client.buildEndSessionUrl(configuration, {
      post_logout_redirect_uri: `${pages}/sign-in`,
      id_token_hint: unseal(row.idToken, sessionContext(tokenHash)),
    }).href
  } catch {
    // Signing out here does not wait for there.
    return undefined
  }
}
