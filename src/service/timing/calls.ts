import { randomBytes } from 'node:crypto'
import { fitsOnly } from '@/core/events/values'
import { triggerDefinitionSchema } from '@/core/work/trigger'
import { execute, many, maybeOne, transaction, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { callContext, seal, unseal } from '@/store/seal'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { requireOn } from '@/service/base/area-rights'
import { record } from '@/service/base/audit'
import { notFound, Problem } from '@/service/base/problem'
import { hashToken, newToken } from '@/service/base/secrets'
import { readSetting } from '@/service/base/settings'
import { readCall, requireSignature, type RawCall } from './call-read'
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
  if (!found) throw new Problem('not-found', 'There is no such address. It may have been renewed.')
  const { call } = triggerDefinitionSchema.parse(found.definition)
  if (call?.signed) requireSignature(raw, unseal(Buffer.from(found.signingKey, 'base64'), callContext(found.id)))
  const { key, body } = readCall(raw, parse)
  const nowMs = Date.now()
  const result = await transaction(async (tx): Promise<CallAnswer | Problem> => {
    // Looked at again under the lock: two that say the same wait for each other here.
    const row = await maybeOne<Called>(tx, `${CALLED} FOR UPDATE OF t`, [hash])
    if (!row) return new Problem('not-found', 'There is no such address. It may have been renewed.')
    const before = await answerOf(tx, row.id, key)
    if (before) return before
    const trigger = { ...row, definition: triggerDefinitionSchema.parse(row.definition) }
    if (!row.enabled) return nothing('The trigger is switched off.')
    if (!fitsOnly(trigger.definition.call?.only ?? {}, body)) return nothing('It is none of the calls that count.')
    const { left, againMs } = await rateOf(tx, trigger, nowMs)
    if (left === 0)
      return new Problem('too-many', 'It has started as often as it may for now.', [], {
        retryAfter: Math.max(1, Math.ceil(((againMs ?? nowMs) - nowMs) / 1000)),
      })
    const event = await keep(tx, trigger, key, body, nowMs)
    if (!(await readSetting(tx, 'starts')).on)
      return nothing('Starts by triggers are switched off: it waits until they are on again.', true)
    const { outcomes, waiting } = await decideIn(tx, [event], nowMs)
    const until = waiting.get(event.id)
    if (until !== undefined)
      return nothing(`It waits for its time of the day${until ? `: ${until.toISOString()}` : ''}.`, true)
    const { runs, why } = outcomes.get(event.id) ?? { runs: [], why: null }
    if (why?.why === 'inputs') {
      await execute(tx, 'DELETE FROM trigger_events WHERE id = $1', [event.id])
      return new Problem('does-not-fit', why.detail)
    }
    return runs.length > 0 ? { started: true, run: runs[0] ?? null, runs, waits: false } : nothing(why?.detail ?? '')
  })
  if (result instanceof Problem) throw result
  return result
}

const nothing = (why: string, waits = false): CallAnswer => ({ started: false, run: null, runs: [], waits, why })

/** What came of this call before; null: it has not come before. */
async function answerOf(tx: Tx, triggerId: number, key: string): Promise<CallAnswer | null> {
  const row = await maybeOne<{ decided: boolean; runs: number[]; why: string | null }>(
    tx,
    `SELECT e.decided_at IS NOT NULL AS decided, coalesce((SELECT jsonb_agg(r.id ORDER BY r.id) FROM runs r WHERE r.event_id = e.id), '[]') AS runs, e.why
       FROM trigger_events e WHERE e.trigger_id = $1 AND e.key = $2`,
    [triggerId, key],
  )
  if (!row) return null
  if (row.runs.length > 0) return { started: true, run: row.runs[0] ?? null, runs: row.runs, waits: false }
  return row.decided ? nothing(row.why ?? 'It started nothing.') : nothing('It still waits.', true)
}

async function keep(
  tx: Tx,
  trigger: ToDecide['trigger'],
  key: string,
  body: unknown,
  nowMs: number,
): Promise<ToDecide> {
  const facts = { call: key, body }
  const [row] = await many<{ id: number; at: Date; depth: number }>(
    tx,
    'INSERT INTO trigger_events (trigger_id, key, at, facts) VALUES ($1, $2, $3, $4) RETURNING id, at, depth',
    [trigger.id, key, new Date(nowMs), JSON.stringify(facts)],
  )
  await notify(tx, { timing: true })
  return { ...(row as { id: number; at: Date; depth: number }), facts, trigger }
}
