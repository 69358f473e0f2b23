import type { DayAhead } from '@/core/forecast/ahead'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { mayDo } from '@/core/people/roles'
import { many, maybeOne } from '@/store/db'
import { chanceLimits } from './chances'
import type { Standing } from './kept'

type Body = Omit<Standing, 'madeAt' | 'runs'>

/** What the kept forecast says of the time ahead: one row, whatever the size of the night. */
export async function dayAhead(actor: Actor): Promise<DayAhead> {
  requireSomewhere(actor, 'see')
  const row = await maybeOne<{ madeAt: Date; body: Body }>(null, 'SELECT made_at AS "madeAt", body FROM forecasts')
  if (!row)
    return {
      madeAt: null,
      from: '',
      bucketSeconds: 900,
      starts: [],
      load: [],
      p10: [],
      p90: [],
      waiting: [],
      deadlines: [],
    }
  const { body } = row
  const limits = await chanceLimits()
  const triggers = new Map(
    (
      await many<{ id: number; slug: string; title: string }>(
        null,
        'SELECT id, slug, title FROM triggers WHERE deleted_at IS NULL AND slug = ANY($1)',
        [[...new Set(body.deadlines.map(({ trigger }) => trigger))]],
      )
    ).map((trigger) => [trigger.slug, trigger]),
  )
  // How busy the machines will be altogether is the organisation's.
  const seesFleet = mayDo(actor.role, 'see')
  const ofFleet = (values: readonly number[] | undefined): readonly number[] => (seesFleet ? (values ?? []) : [])
  return {
    madeAt: row.madeAt.toISOString(),
    from: new Date(body.from * 1000).toISOString(),
    bucketSeconds: body.bucket,
    starts: ofFleet(body.starts),
    load: ofFleet(body.used),
    p10: ofFleet(body.band?.p10),
    p90: ofFleet(body.band?.p90),
    waiting: ofFleet(body.waiting),
    deadlines: body.deadlines
      .flatMap(({ trigger, due, chance = 0 }) => {
        const known = triggers.get(trigger)
        if (!known) return []
        const risk: DayAhead['deadlines'][number]['risk'] =
          chance * 100 < limits.red ? 'red' : chance * 100 < limits.amber ? 'amber' : null
        return [{ triggerId: known.id, title: known.title, dueAt: due, chance, risk }]
      })
      .sort((a, b) => (a.dueAt < b.dueAt ? -1 : 1)),
  }
}

/** A run that is expected on a machine soon. */
export interface ComingBar {
  readonly agent: string
  readonly title: string
  readonly startAt: string
  readonly endAt: string
}

/** Runs that the kept forecast expects on machines before an instant. */
export async function comingBars(actor: Actor, before: Date): Promise<ComingBar[]> {
  requireSomewhere(actor, 'see')
  return many<ComingBar>(
    null,
    `SELECT x.agent, j.title, x.start AS "startAt", x.end AS "endAt"
       FROM forecasts, jsonb_to_recordset(body->'soon') AS x(target text, agent text, "start" timestamptz, "end" timestamptz)
       JOIN jobs j ON j.slug = x.target AND NOT j.is_flow AND j.deleted_at IS NULL
      WHERE x.start < $1 AND x.start > now() ORDER BY x.start`,
    [before],
  )
}

/** Occurrences whose work is expected to start later than they fall, by trigger and instant (`slug ms`). */
export async function lateStarts(actor: Actor): Promise<ReadonlyMap<string, { at: string; why: string }>> {
  requireSomewhere(actor, 'see')
  const rows = await many<{ trigger: string; occurrence: Date; at: Date; why: string }>(
    null,
    `SELECT x.* FROM forecasts, jsonb_to_recordset(body->'late') AS x(trigger text, occurrence timestamptz, at timestamptz, why text)`,
  )
  return new Map(
    rows.map(({ trigger, occurrence, at, why }) => [
      `${trigger} ${occurrence.getTime()}`,
      { at: at.toISOString(), why },
    ]),
  )
}
