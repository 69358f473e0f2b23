import { z } from 'zod'
import { ALLOWED, ALLOWED_WORDS, allowanceLock, type Allowed } from '@/core/fleet/allowance'
import { execute, many, maybeOne, one, transaction, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { beyondWalls } from '@/store/walls'
import { requireRight, requireSomewhere, type Actor } from '@/service/base/actor'
import { requireOn } from '@/service/base/area-rights'
import { record } from '@/service/base/audit'
import { invalid, Problem } from '@/service/base/problem'
import { closeTrouble } from '@/service/base/trouble'

export const MOST_UNITS = 100_000
export const allowanceSchema = z.strictObject({
  what: z.enum(ALLOWED),
  /** With all areas in it; null: everything. */
  areaId: z.int().positive().nullable().default(null),
  /** null: no limit any more. */
  units: z.int().min(0, 'At least none.').max(MOST_UNITS).nullable(),
})
/** What there is only so much of, as dispatch counts it: like a lock. */
export interface AllowanceNow {
  readonly what: Allowed
  /** Its path; null: everything. */
  readonly area: string | null
  readonly lock: string
  readonly units: number
  /** null: everything. */
  readonly areaIds: readonly number[] | null
}

/** Granted until then counts until then. */
const UNITS = `(a.units + coalesce((SELECT sum(k.units) FROM allowance_asks k WHERE k.allowance_id = a.id AND k.state = 'granted' AND k.until > now()), 0))::int`
export const LIVE = `allowances a LEFT JOIN areas p ON p.id = a.area_id WHERE (a.area_id IS NULL OR p.deleted_at IS NULL)`

export async function allowancesNow(tx: Tx | null = null): Promise<AllowanceNow[]> {
  const rows = await many<{ what: Allowed; area: string | null; units: number; areaIds: number[] | null }>(
    tx,
    `SELECT a.what, p.path AS area, ${UNITS} AS units, CASE WHEN a.area_id IS NOT NULL THEN areas_below(ARRAY[a.area_id]) END AS "areaIds" FROM ${LIVE} ORDER BY a.id`,
  )
  return rows.map((row) => ({ ...row, lock: allowanceLock(row.what, row.area) }))
}

export interface AllowanceRow {
  /** null: nothing is set. */
  readonly id: number | null
  readonly what: Allowed
  readonly areaId: number | null
  readonly area: string | null
  /** For good; null: no limit. */
  readonly units: number | null
  /** With what is granted for a while. */
  readonly allowed: number | null
  readonly grants: readonly { readonly units: number; readonly until: string }[]
  readonly used: number
  /** The most at once in an hour of the last seven days, as far as it is kept. */
  readonly peak: number
  /** Whether this person may ask for more. */
  readonly mayAsk: boolean
}

export interface AskForMore {
  readonly id: number
  readonly what: Allowed
  readonly area: string | null
  readonly units: number
  readonly why: string
  readonly until: string | null
  readonly state: 'open' | 'granted' | 'declined' | 'withdrawn'
  readonly askedBy: string
  readonly askedAt: string
  readonly answeredBy: string | null
  readonly answeredAt: string | null
  readonly answer: string
  readonly isMine: boolean
}

export async function listAllowances(actor: Actor): Promise<{ allowances: AllowanceRow[]; asks: AskForMore[] }> {
  requireSomewhere(actor, 'see')
  const set = await many<Omit<AllowanceRow, 'used' | 'mayAsk'>>(
    null,
    `SELECT a.id, a.what, a.area_id AS "areaId", p.path AS area, a.units, ${UNITS} AS allowed,
            coalesce((SELECT jsonb_agg(jsonb_build_object('units', k.units, 'until', k.until) ORDER BY k.until) FROM allowance_asks k
                       WHERE k.allowance_id = a.id AND k.state = 'granted' AND k.until > now()), '[]') AS grants,
            coalesce((SELECT max(u.peak) FROM allowance_use u WHERE u.what = a.what AND u.area_id = coalesce(a.area_id, 0) AND u.hour > now() - interval '7 days'), 0)::int AS peak
       FROM ${LIVE} ORDER BY p.path NULLS FIRST, a.what`,
  )
  const peaks = await many<{ what: Allowed; peak: number }>(
    null,
    `SELECT what, max(peak)::int AS peak FROM allowance_use WHERE area_id = 0 AND hour > now() - interval '7 days' GROUP BY what`,
  )
  const unset = ALLOWED.filter((what) => !set.some((row) => row.what === what && row.areaId === null)).map((what) => ({
    ...{ id: null, what, areaId: null, area: null, units: null, allowed: null, grants: [] },
    peak: peaks.find((row) => row.what === what)?.peak ?? 0,
  }))
  const used = await unitsInUse()
  const asks = await many<AskForMore>(
    null,
    `SELECT k.id, a.what, p.path AS area, k.units, k.why, k.until, k.state, k.asked_by AS "askedBy", k.asked_at AS "askedAt", k.answered_by AS "answeredBy",
            k.answered_at AS "answeredAt", k.answer, k.person_id IS NOT NULL AND k.person_id = $1 AS "isMine"
       FROM allowance_asks k JOIN allowances a ON a.id = k.allowance_id LEFT JOIN areas p ON p.id = a.area_id
      ORDER BY k.state <> 'open', k.id DESC LIMIT 50`,
    [actor.id],
  )
  const rows: AllowanceRow[] = []
  for (const row of [...unset, ...set])
    rows.push({
      ...row,
      used: used(row.what, row.areaId),
      mayAsk: row.id !== null && (await mayAsk(actor, row.areaId)),
    })
  return { allowances: rows.sort(compareRows), asks }
}

const compareRows = (a: AllowanceRow, b: AllowanceRow): number =>
  (a.area ?? '').localeCompare(b.area ?? '') || ALLOWED.indexOf(a.what) - ALLOWED.indexOf(b.what)

/** What runs now, counted: whoever may see an area's allowance may know how much of it is in use. */
async function unitsInUse(): Promise<(what: Allowed, areaId: number | null) => number> {
  const rows = await beyondWalls(() =>
    many<{ what: Allowed; areaId: number; units: number }>(
      null,
      `WITH RECURSIVE taken AS (
         SELECT coalesce(b.kind, 'slots') AS what, r.area_id, CASE WHEN b.id IS NULL THEN r.slots ELSE 1 END AS units
           FROM runs r LEFT JOIN robots b ON b.id = r.robot_id WHERE r.state = 'running' AND r.kind <> 'flow'),
       around AS (SELECT what, area_id, units FROM taken UNION ALL SELECT t.what, a.parent_id, t.units FROM around t JOIN areas a ON a.id = t.area_id WHERE a.parent_id IS NOT NULL)
       SELECT what, area_id AS "areaId", sum(units)::int AS units FROM around GROUP BY 1, 2
       UNION ALL SELECT what, 0, sum(units)::int FROM taken GROUP BY 1`,
    ),
  )
  const used = new Map(rows.map(({ what, areaId, units }) => [`${what} ${areaId}`, units]))
  return (what, areaId) => used.get(`${what} ${areaId ?? 0}`) ?? 0
}

export async function requireMayAsk(actor: Actor, areaId: number | null): Promise<void> {
  if (areaId === null) requireRight(actor, 'design')
  else await requireOn(null, actor, 'design', 'area', areaId)
}
const mayAsk = (actor: Actor, areaId: number | null): Promise<boolean> =>
  requireMayAsk(actor, areaId).then(
    () => true,
    () => false,
  )

export const titleOf = (what: Allowed, area: string | null): string =>
  `${ALLOWED_WORDS[what]}${area === null ? '' : ` in ${area}`}`

/** Fewer than are in use is no harm: nothing more begins until enough have ended. */
export async function setAllowance(
  actor: Actor,
  { what, areaId, units }: z.output<typeof allowanceSchema>,
): Promise<void> {
  requireRight(actor, 'administer')
  await transaction(async (tx) => {
    const area =
      areaId === null
        ? null
        : await maybeOne<{ path: string }>(tx, 'SELECT path FROM areas WHERE id = $1 AND deleted_at IS NULL', [areaId])
    if (area === undefined) throw invalid('areaId', `There is no area ${areaId}.`)
    const before = await maybeOne<{ id: number; units: number }>(
      tx,
      'SELECT id, units FROM allowances WHERE what = $1 AND area_id IS NOT DISTINCT FROM $2 FOR UPDATE',
      [what, areaId],
    )
    const title = titleOf(what, area?.path ?? null)
    if (units === null) {
      if (!before) throw new Problem('not-now', `There is no limit on ${title}.`)
      await closeTrouble(tx, await askSubjects(tx, before.id), 'there is no limit any more')
      await execute(tx, 'DELETE FROM allowances WHERE id = $1', [before.id])
    } else
      await execute(
        tx,
        `INSERT INTO allowances (what, area_id, units, set_by) VALUES ($1, $2, $3, $4)
         ON CONFLICT (what, area_id) DO UPDATE SET units = excluded.units, set_by = excluded.set_by, set_at = now()`,
        [what, areaId, units, actor.name],
      )
    await record(
      tx,
      actor,
      units === null ? 'removed' : 'set',
      { type: 'allowance', id: `${what} ${areaId ?? ''}`.trim(), title },
      { units: [before?.units ?? null, units] },
    )
    await tellChange(tx)
  })
}

/** A robot more of this kind must be allowed here. */
export async function requireRobotAllowed(tx: Tx, kind: 'attended' | 'unattended'): Promise<void> {
  const allowed = await maybeOne<{ units: number }>(
    tx,
    `SELECT ${UNITS} AS units FROM allowances a WHERE a.what = $1 AND a.area_id IS NULL FOR NO KEY UPDATE OF a`,
    [kind],
  )
  if (!allowed) return
  const { n } = await one<{ n: number }>(
    tx,
    'SELECT count(*)::int AS n FROM robots WHERE kind = $1 AND removed_at IS NULL',
    [kind],
  )
  if (n >= allowed.units)
    throw new Problem(
      'not-now',
      `${allowed.units} ${kind} ${allowed.units === 1 ? 'robot is' : 'robots are'} allowed here, and ${n} ${n === 1 ? 'is' : 'are'} registered. Ask for more under Fleet, Allowances.`,
    )
}

const askSubjects = async (tx: Tx, allowanceId: number): Promise<string[]> =>
  (await many<{ id: number }>(tx, `SELECT id FROM allowance_asks WHERE allowance_id = $1`, [allowanceId])).map(
    ({ id }) => askSubject(id),
  )

/** One open matter for each that asks. */
export const askSubject = (askId: number): string => `ask for allowance ${askId}`

/** What is known of waiting runs is read anew: others count against it now. */
export const tellChange = (tx: Tx): Promise<void> => notify(tx, { jobs: true, fleet: true, place: true })
