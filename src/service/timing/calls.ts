import { randomBytes } from 'node:crypto'
import { fitsOnly } from '@/core/events/values'
import { triggerDefinitionSchema } from '@/core/work/trigger'
import { execute, many, maybeOne, transaction, type Tx } from '@/store/db'
import { PerOrganisation } from '@/store/organisation'
import { callContext, seal, unseal } from '@/store/seal'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { requireOn } from '@/service/base/area-rights'
import { record } from '@/service/base/audit'
import { Batches } from '@/service/base/batches'
import { notFound, Problem } from '@/service/base/problem'
import { hashToken, newToken } from '@/service/base/secrets'
import { readSetting } from '@/service/base/settings'
import { readCall, requireSignature, type RawCall, type ReadCall } from './call-read'
import { decideIn, rateOf, type ToDecide } from './event-decide'

/** The address of a trigger, without what makes it secret. */
export interface CallAddress {
  readonly madeBy: string
  readonly madeAt: string
}

export async function callAddress(actor: Actor, id: number): Promise<{ address: CallAddress | null }> {
  requireSomewhere(actor, 'see')
  const address = await maybeOne<CallAddress>(
    null,
    'SELECT made_by AS "madeBy", made_at AS "madeAt" FROM trigger_calls WHERE trigger_id = $1',
    [id],
  )
  return { address: address ?? null }
}

/** Makes a new address and a new key to sign with; both are shown this once. One that was there before is unknown from now on. */
export async function renewCall(actor: Actor, id: number): Promise<{ path: string; signingKey: string }> {
  return transaction(async (tx) => {
    await requireOn(tx, actor, 'design', 'trigger', id)
    const trigger = await maybeOne<{ title: string; kind: string }>(
      tx,
      'SELECT title, kind FROM triggers WHERE id = $1 AND deleted_at IS NULL FOR UPDATE',
      [id],
    )
    if (!trigger) throw notFound('trigger', id)
    if (trigger.kind !== 'call') throw new Problem('not-now', 'Calls do not start this trigger: save it so first.')
    const [token, signingKey] = [newToken('call'), `whsec_${randomBytes(32).toString('base64')}`]
    await execute(
      tx,
      `INSERT INTO trigger_calls (trigger_id, hash, signing_key, made_by) VALUES ($1, $2, $3, $4)
       ON CONFLICT (trigger_id) DO UPDATE SET hash = excluded.hash, signing_key = excluded.signing_key, made_by = excluded.made_by, made_at = now()`,
      [id, hashToken(token), seal(signingKey, callContext(id)).toString('base64'), actor.name],
    )
    await record(tx, actor, 'renewed the address of', { type: 'trigger', id, title: trigger.title })
    return { path: `/call/${token}`, signingKey }
  })
}

/** What came of a call. */
export interface CallAnswer {
  readonly started: boolean
  /** The first run, and all of them where one starts on every machine. */
  readonly run: number | null
  readonly runs: readonly number[]
  /** It is kept, and decided later. */
  readonly waits: boolean
  /** Why nothing was started, or what it waits for. */
  readonly why?: string
}

interface Called {
  readonly id: number
  readonly title: string
  readonly jobId: number
  readonly version: number
  readonly enabled: boolean
  readonly definition: unknown
  readonly signingKey: string
}

const CALLED = `SELECT t.id, t.title, t.job_id AS "jobId", t.version, t.enabled, t.definition, c.signing_key AS "signingKey"
   FROM trigger_calls c JOIN triggers t ON t.id = c.trigger_id WHERE c.hash = $1 AND t.kind = 'call' AND t.deleted_at IS NULL`

/**
 * Starts what a call asks for, and says what came of it: the same for a call that is sent again. Throws a Problem for whatever the caller has to mend; nothing is kept of such a call, so that it may
 * come again under the same id.
 */
export async function receiveCall(token: string, raw: RawCall, parse: (text: string) => unknown): Promise<CallAnswer> {
  const hash = hashToken(token)
  const found = await maybeOne<Called>(null, CALLED, [hash])
  if (!found) throw gone()
  const { call } = triggerDefinitionSchema.parse(found.definition)
  if (call?.signed) requireSignature(raw, unseal(Buffer.from(found.signingKey, 'base64'), callContext(found.id)))
  const result = await batchOf(hash).do(readCall(raw, parse))
  if (result instanceof Problem) throw result
  return result
}

const gone = (): Problem => new Problem('not-found', 'There is no such address. It may have been renewed.')

/** Calls of one address that come at once are decided together: they would only wait for each other. */
const batches = new PerOrganisation(() => new Map<string, Batches<ReadCall, CallAnswer | Problem>>())
const MOST_ADDRESSES = 1000

function batchOf(hash: string): Batches<ReadCall, CallAnswer | Problem> {
  const all = batches.get()
  const known = all.get(hash)
  if (known) return known
  if (all.size >= MOST_ADDRESSES) for (const [key, one] of all) if (one.isIdle) all.delete(key)
  const fresh = new Batches((calls: readonly ReadCall[]) => transaction((tx) => decideCalls(tx, hash, calls)))
  all.set(hash, fresh)
  return fresh
}

/** Decides calls of one address, under the lock of its trigger, in the order in which they came. */
async function decideCalls(tx: Tx, hash: string, calls: readonly ReadCall[]): Promise<(CallAnswer | Problem)[]> {
  const nowMs = Date.now()
  const row = await maybeOne<Called>(tx, `${CALLED} FOR NO KEY UPDATE OF t`, [hash])
  if (!row) return calls.map(gone)
  const trigger = { ...row, definition: triggerDefinitionSchema.parse(row.definition) }
  const answers = await answersBefore(
    tx,
    row.id,
    calls.map(({ key }) => key),
  )
  const fresh = [...new Map(calls.filter(({ key }) => !answers.has(key)).map((call) => [call.key, call])).values()]
  const rate = await rateOf(tx, trigger, nowMs)
  const taken: ReadCall[] = []
  for (const { key, body } of fresh)
    if (!row.enabled) answers.set(key, nothing('The trigger is switched off.'))
    else if (!fitsOnly(trigger.definition.call?.only ?? {}, body))
      answers.set(key, nothing('It is none of the calls that count.'))
    else if (taken.length >= rate.left) answers.set(key, beyondRate(rate.againMs ?? nowMs + RETRY_MS, nowMs))
    else taken.push({ key, body })
  for (const [key, answer] of await startFor(tx, trigger, taken, nowMs)) answers.set(key, answer)
  return calls.map(({ key }) => answers.get(key) as CallAnswer | Problem)
}

/** When a rate is used up only now, it is asked again so much later. */
const RETRY_MS = 1000
const beyondRate = (againMs: number, nowMs: number): Problem =>
  new Problem('too-many', 'It has started as often as it may for now.', [], {
    retryAfter: Math.max(1, Math.ceil((againMs - nowMs) / 1000)),
  })

async function startFor(
  tx: Tx,
  trigger: ToDecide['trigger'],
  calls: readonly ReadCall[],
  nowMs: number,
): Promise<Map<string, CallAnswer | Problem>> {
  if (calls.length === 0) return new Map()
  const events = await keep(tx, trigger, calls, nowMs)
  if (!(await readSetting(tx, 'starts')).on)
    return new Map(
      calls.map(({ key }) => [key, nothing('Starts by triggers are switched off: it waits until they are on.', true)]),
    )
  const { outcomes, waiting } = await decideIn(tx, [...events.values()], nowMs)
  const answers = new Map<string, CallAnswer | Problem>()
  const unfit: number[] = []
  for (const [key, { id }] of events) {
    const until = waiting.get(id)
    const { runs, why } = outcomes.get(id) ?? { runs: [], why: null }
    if (until !== undefined)
      answers.set(key, nothing(`It waits for its time of the day${until ? `: ${until.toISOString()}` : ''}.`, true))
    else if (why?.why === 'inputs') {
      unfit.push(id)
      answers.set(key, new Problem('does-not-fit', why.detail))
    } else answers.set(key, runs.length > 0 ? startedWith(runs) : nothing(why?.detail ?? ''))
  }
  if (unfit.length > 0) await execute(tx, 'DELETE FROM trigger_events WHERE id = ANY($1)', [unfit])
  return answers
}

const startedWith = (runs: readonly number[]): CallAnswer => ({
  started: true,
  run: runs[0] ?? null,
  runs,
  waits: false,
})

const nothing = (why: string, waits = false): CallAnswer => ({ started: false, run: null, runs: [], waits, why })

/** What came of these calls before; those that have not come before are missing. */
async function answersBefore(
  tx: Tx,
  triggerId: number,
  keys: readonly string[],
): Promise<Map<string, CallAnswer | Problem>> {
  const rows = await many<{ key: string; decided: boolean; runs: number[]; why: string | null }>(
    tx,
    `SELECT e.key, e.decided_at IS NOT NULL AS decided, coalesce((SELECT jsonb_agg(r.id ORDER BY r.id) FROM runs r WHERE r.event_id = e.id), '[]') AS runs, e.why
       FROM trigger_events e WHERE e.trigger_id = $1 AND e.key = ANY($2)`,
    [triggerId, keys],
  )
  return new Map(
    rows.map(({ key, decided, runs, why }) => {
      if (runs.length > 0) return [key, startedWith(runs)]
      return [key, decided ? nothing(why ?? 'It started nothing.') : nothing('It still waits.', true)]
    }),
  )
}

async function keep(
  tx: Tx,
  trigger: ToDecide['trigger'],
  calls: readonly ReadCall[],
  nowMs: number,
): Promise<Map<string, ToDecide>> {
  const facts = new Map(calls.map(({ key, body }) => [key, { call: key, body }]))
  const rows = await many<{ id: number; key: string; at: Date; depth: number }>(
    tx,
    `INSERT INTO trigger_events (trigger_id, key, at, facts)
     SELECT $1, u.key, $2, u.facts FROM unnest($3::text[], $4::jsonb[]) WITH ORDINALITY AS u(key, facts, n) ORDER BY u.n RETURNING id, key, at, depth`,
    [trigger.id, new Date(nowMs), [...facts.keys()], [...facts.values()].map((each) => JSON.stringify(each))],
  )
  return new Map(
    rows.map(({ key, ...row }) => [key, { ...row, trigger, facts: facts.get(key) as { call: string; body: unknown } }]),
  )
}
