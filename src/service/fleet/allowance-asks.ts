import { z } from 'zod'
import type { Allowed } from '@/core/fleet/allowance'
import { execute, many, maybeOne, one, transaction, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { ENGINE, requireRight, requireSomewhere, type Actor } from '@/service/base/actor'
import { record } from '@/service/base/audit'
import { invalid, notFound, Problem } from '@/service/base/problem'
import { closeTrouble, openTrouble } from '@/service/base/trouble'
import { askSubject, LIVE, MOST_UNITS, requireMayAsk, tellChange, titleOf } from './allowances'

export const moreSchema = z.strictObject({
  units: z.int('A number.').min(1, 'Ask for one more at least.').max(MOST_UNITS),
  why: z.string().trim().min(1, 'Say what for: whoever decides reads this.').max(500),
  until: z.iso.datetime({ offset: true }).nullable().default(null),
})
export const answerSchema = z
  .strictObject({ grant: z.boolean(), answer: z.string().trim().max(500).default('') })
  .refine(({ grant, answer }) => grant || answer !== '', { path: ['answer'], message: 'Say why not, in a sentence.' })

/** So many of one allowance are open at once. */
const MOST_OPEN = 20

/** Whoever designs there asks for more; administrators get a matter. */
export async function askForMore(
  actor: Actor,
  allowanceId: number,
  { units, why, until }: z.output<typeof moreSchema>,
): Promise<{ id: number }> {
  requireSomewhere(actor, 'design')
  const allowance = await maybeOne<{ what: Allowed; areaId: number | null; area: string | null }>(
    null,
    `SELECT a.what, a.area_id AS "areaId", p.path AS area FROM ${LIVE} AND a.id = $1`,
    [allowanceId],
  )
  if (!allowance) throw notFound('allowance', allowanceId)
  await requireMayAsk(actor, allowance.areaId)
  if (until !== null && Date.parse(until) <= Date.now()) throw invalid('until', 'This is over already.')
  const { n } = await one<{ n: number }>(
    null,
    `SELECT count(*)::int AS n FROM allowance_asks WHERE allowance_id = $1 AND state = 'open'`,
    [allowanceId],
  )
  if (n >= MOST_OPEN) throw new Problem('not-now', `${n} are open already: wait until they are answered.`)
  const title = titleOf(allowance.what, allowance.area)
  return transaction(async (tx) => {
    const { id } = await one<{ id: number }>(
      tx,
      'INSERT INTO allowance_asks (allowance_id, units, why, until, asked_by, person_id) VALUES ($1, $2, $3, $4, $5, $6) RETURNING id',
      [allowanceId, units, why, until, actor.name, actor.id],
    )
    await openTrouble(tx, {
      subject: askSubject(id),
      title: `${actor.name} asks for ${units} more ${title}`,
      evidence: `${why}${until === null ? '' : ` Until ${until.slice(0, 16).replace('T', ' ')} UTC.`} Answer it under Fleet, Allowances.`,
    })
    await record(tx, actor, 'asked for more of', { type: 'allowance', id: allowanceId, title }, { units, why, until })
    await notify(tx, { fleet: true, matters: true })
    return { id }
  })
}

/** What came of an ask, for whoever asked. */
export interface Answered {
  readonly title: string
  readonly units: number
  readonly until: Date | null
  /** Where to write to; null: nobody in particular asked. */
  readonly email: string | null
}

/** Granted for good it becomes part of the allowance; until an instant it counts until then. */
export async function answerAsk(
  actor: Actor,
  askId: number,
  { grant, answer }: z.output<typeof answerSchema>,
): Promise<Answered> {
  requireRight(actor, 'administer')
  return transaction(async (tx) => {
    const ask = await lockAsk(tx, askId)
    if (ask.state !== 'open') throw new Problem('not-now', `It is ${ask.state} already.`)
    await execute(
      tx,
      'UPDATE allowance_asks SET state = $2, answered_by = $3, answered_at = now(), answer = $4 WHERE id = $1',
      [askId, grant ? 'granted' : 'declined', actor.name, answer],
    )
    if (grant && ask.until === null)
      await execute(tx, 'UPDATE allowances SET units = least(units + $2, $3) WHERE id = $1', [
        ask.allowanceId,
        ask.units,
        MOST_UNITS,
      ])
    const title = titleOf(ask.what, ask.area)
    await closeTrouble(tx, [askSubject(askId)], `${actor.name} ${grant ? 'granted' : 'declined'} it`)
    await record(
      tx,
      actor,
      grant ? 'granted' : 'declined',
      { type: 'allowance', id: ask.allowanceId, title },
      { more: ask.units, until: ask.until, askedBy: ask.askedBy, answer },
    )
    await notify(tx, { matters: true })
    await tellChange(tx)
    return { title, units: ask.units, until: ask.until, email: ask.email }
  })
}

/** Whoever asked may take it back while nobody has answered. */
export async function withdrawAsk(actor: Actor, askId: number): Promise<void> {
  requireSomewhere(actor, 'design')
  await transaction(async (tx) => {
    const ask = await lockAsk(tx, askId)
    if (actor.id === null || ask.personId !== actor.id) requireRight(actor, 'administer')
    if (ask.state !== 'open') throw new Problem('not-now', `It is ${ask.state} already.`)
    await execute(tx, `UPDATE allowance_asks SET state = 'withdrawn' WHERE id = $1`, [askId])
    await closeTrouble(tx, [askSubject(askId)], `${actor.name} took it back`)
    await record(tx, actor, 'took back', { type: 'allowance', id: ask.allowanceId, title: titleOf(ask.what, ask.area) })
    await notify(tx, { fleet: true, matters: true })
  })
}

interface LockedAsk {
  readonly allowanceId: number
  readonly what: Allowed
  readonly area: string | null
  readonly units: number
  readonly until: Date | null
  readonly state: string
  readonly askedBy: string
  readonly personId: number | null
  readonly email: string | null
}

async function lockAsk(tx: Tx, id: number): Promise<LockedAsk> {
  const ask = await maybeOne<LockedAsk>(
    tx,
    `SELECT a.id AS "allowanceId", a.what, p.path AS area, k.units, k.until, k.state, k.asked_by AS "askedBy", k.person_id AS "personId", q.email
       FROM allowance_asks k JOIN allowances a ON a.id = k.allowance_id LEFT JOIN areas p ON p.id = a.area_id LEFT JOIN people q ON q.id = k.person_id AND q.active
      WHERE k.id = $1 FOR UPDATE OF k, a`,
    [id],
  )
  if (!ask) throw notFound('ask', id)
  return ask
}

/** What was granted until now is over: the record says so. */
export async function endGrants(): Promise<void> {
  await transaction(async (tx) => {
    const ended = await many<{ allowanceId: number; what: Allowed; area: string | null; units: number }>(
      tx,
      `UPDATE allowance_asks k SET ended_at = now() FROM allowances a LEFT JOIN areas p ON p.id = a.area_id
        WHERE a.id = k.allowance_id AND k.state = 'granted' AND k.until <= now() AND k.ended_at IS NULL
        RETURNING a.id AS "allowanceId", a.what, p.path AS area, k.units`,
    )
    for (const { allowanceId, what, area, units } of ended)
      await record(
        tx,
        ENGINE,
        'granted until now',
        { type: 'allowance', id: allowanceId, title: titleOf(what, area) },
        { units },
      )
    if (ended.length > 0) await notify(tx, { fleet: true, place: true })
  })
}
