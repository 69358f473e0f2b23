import { z } from 'zod'
import { clears, firings, type MeasureValue } from '@/core/events/measure'
import type { Measure, MeasureOf } from '@/core/events/kinds'
import { triggerIfReadable } from '@/core/work/trigger'
import { execute, many, transaction, type Tx } from '@/store/db'
import { PerOrganisation } from '@/store/organisation'
import { keepEvents, type ToldEvent } from '@/store/statements/events'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { allOrEach, wordsOf } from '@/service/base/each-alone'
import { openTrouble } from '@/service/base/trouble'
import { LeadershipLost, lockLead } from '@/service/runs/leadership'

/** Whose values: an agent’s, a queue’s or a job’s. */
export interface Series {
  readonly kind: 'agent' | 'queue' | 'job'
  readonly id: number
  /** As people call it. */
  readonly title: string
}

/** Values are kept one by one for so long, then by the hour. */
const KEPT_DAYS = 14
const KEPT_HOURS_DAYS = 400

/** Keeps one value of this minute of each measure: of agents that were heard of lately, of queues that are on. */
export async function sampleMeasures(): Promise<void> {
  await execute(
    null,
    `INSERT INTO measure_values (kind, of_id, name, at, value)
     SELECT 'agent', c.agent_id, m.key, date_trunc('minute', now()), m.value::float8 FROM agent_contacts c CROSS JOIN LATERAL jsonb_each_text(c.measures) m
      WHERE c.measures IS NOT NULL AND c.last_contact_at > now() - interval '90 seconds'
     UNION ALL
     SELECT 'queue', q.id, m.name, date_trunc('minute', now()), m.value FROM queues q CROSS JOIN LATERAL (VALUES
       ('waiting', (SELECT count(*)::float8 FROM items i WHERE i.queue_id = q.id AND i.state = 'waiting')),
       ('oldest', coalesce(extract(epoch FROM now() - (SELECT i.created_at FROM items i WHERE i.queue_id = q.id AND i.state = 'waiting' ORDER BY i.id LIMIT 1)), 0)::float8)) AS m(name, value)
      WHERE q.active AND q.deleted_at IS NULL
     ON CONFLICT (kind, of_id, name, at) DO NOTHING`,
  )
}

/** What is older than two weeks is kept by the hour, and that for a good year. True: there may be more to do. */
export async function condenseMeasures(): Promise<boolean> {
  await execute(null, `DELETE FROM measure_hours WHERE at < now() - interval '${KEPT_HOURS_DAYS} days'`)
  const [oldest] = await many<{ at: Date | null }>(
    null,
    `SELECT date_trunc('hour', min(at)) AS at FROM measure_values WHERE at < date_trunc('hour', now()) - interval '${KEPT_DAYS} days'`,
  )
  if (!oldest?.at) return false
  const until = new Date(oldest.at.getTime() + 3_600_000)
  await transaction(async (tx) => {
    await execute(
      tx,
      `INSERT INTO measure_hours (kind, of_id, name, at, least, median, most)
       SELECT kind, of_id, name, $1, min(value), percentile_cont(0.5) WITHIN GROUP (ORDER BY value), max(value)
         FROM measure_values WHERE at >= $1 AND at < $2 GROUP BY kind, of_id, name
       ON CONFLICT (kind, of_id, name, at) DO NOTHING`,
      [oldest.at, until],
    )
    await execute(tx, 'DELETE FROM measure_values WHERE at < $1', [until])
  })
  return true
}

/** Whose values a rule looks at; empty: what it names is not there. */
async function seriesOf(tx: Tx | null, of: MeasureOf): Promise<Series[]> {
  if (of.agent !== undefined)
    return many(tx, `SELECT 'agent' AS kind, id, name AS title FROM agents WHERE name = $1`, [of.agent])
  if (of.pool !== undefined)
    return many(
      tx,
      `SELECT 'agent' AS kind, a.id, a.name AS title FROM pools p JOIN pool_members m ON m.pool_id = p.id AND m.active JOIN agents a ON a.id = m.agent_id AND a.active
        WHERE p.name = $1 AND p.active ORDER BY a.name`,
      [of.pool],
    )
  if (of.queue !== undefined)
    return many(tx, `SELECT 'queue' AS kind, id, title FROM queues WHERE slug = $1 AND deleted_at IS NULL`, [of.queue])
  return many(tx, `SELECT 'job' AS kind, id, title FROM jobs WHERE slug = $1 AND NOT is_flow AND deleted_at IS NULL`, [
    of.job,
  ])
}

/** A decimal number, as runs report them, that is surely within the range of a double (IEEE 754 binary64). */
export const NUMBER = String.raw`^\s*[-+]?(\d{1,200}(\.\d{0,100})?|\.\d{1,100})([eE][-+]?\d{1,2})?\s*$`
const MOST_VALUES = 25_000

/** Values after an instant, ascending; at most so many, the newest. */
async function valuesOf(
  tx: Tx | null,
  { kind, id }: Series,
  name: string,
  after: Date,
  most = MOST_VALUES,
): Promise<MeasureValue[]> {
  const rows =
    kind === 'job'
      ? await many<{ at: Date; value: number }>(
          tx,
          `SELECT a.ended_at AS at, (a.outputs->>$2)::float8 AS value FROM runs r JOIN attempts a ON a.run_id = r.id AND a.number = r.attempts
            WHERE r.job_id = $1 AND r.ended_at > $3 AND a.ended_at > $3 AND a.outputs->>$2 ~ $4 ORDER BY a.ended_at DESC LIMIT $5`,
          [id, name, after, NUMBER, most],
        )
      : await many<{ at: Date; value: number }>(
          tx,
          `SELECT at, value FROM measure_values WHERE kind = $1 AND of_id = $2 AND name = $3 AND at > $4 ORDER BY at DESC LIMIT $5`,
          [kind, id, name, after, most],
        )
  return rows.reverse().map(({ at, value }) => ({ atMs: at.getTime(), value }))
}

/** The newest values of each of these after an instant, ascending; at most so many of each. Those of agents and queues are read at once. */
export async function newestValues(
  all: readonly Series[],
  name: string,
  after: Date,
  most: number,
): Promise<{ readonly series: Series; readonly values: MeasureValue[] }[]> {
  const first = all[0]
  if (!first || first.kind === 'job' || all.length === 1)
    return Promise.all(all.map(async (series) => ({ series, values: await valuesOf(null, series, name, after, most) })))
  const rows = await many<{ id: number; values: MeasureValue[] }>(
    null,
    `SELECT u.id, jsonb_agg(jsonb_build_object('atMs', (extract(epoch FROM v.at) * 1000)::bigint, 'value', v.value) ORDER BY v.at) AS values
       FROM unnest($2::bigint[]) AS u(id) CROSS JOIN LATERAL (
         SELECT at, value FROM measure_values WHERE kind = $1 AND of_id = u.id AND name = $3 AND at > $4 ORDER BY at DESC LIMIT $5) v
      GROUP BY u.id`,
    [first.kind, all.map(({ id }) => id), name, after, most],
  )
  const found = new Map(rows.map(({ id, values }) => [id, values]))
  return all.map((series) => ({ series, values: found.get(series.id) ?? [] }))
}

interface MeasureTrigger {
  readonly id: number
  readonly title: string
  readonly since: Date
  readonly measure: Measure
}

async function measureTriggers(): Promise<MeasureTrigger[]> {
  const rows = await many<{ id: number; title: string; since: Date; definition: unknown }>(
    null,
    `SELECT id, title, counted_from AS since, definition FROM triggers WHERE kind = 'measure' AND enabled AND deleted_at IS NULL ORDER BY id`,
  )
  return rows.flatMap(({ definition, ...row }) => {
    const measure = triggerIfReadable(definition)?.measure
    return measure ? [{ ...row, measure }] : []
  })
}

/** Triggers by measures that this process has looked at since they were last changed: of these only the newest values are looked at. */
const looked = new PerOrganisation(() => new Map<number, number>())

/** Tells triggers of values that complete what they wait for. What was told already is known by the instant of its value. */
export async function fireMeasures(epoch: number): Promise<number> {
  const triggers = await measureTriggers()
  const before = looked.get()
  for (const id of before.keys()) if (!triggers.some((trigger) => trigger.id === id)) before.delete(id)
  const told = await allOrEach(
    triggers,
    (some) =>
      some.length > 1 ? Promise.reject(new Error('each by itself')) : tellOne(epoch, some[0] as MeasureTrigger),
    async ({ id, title }, error) => {
      if (error instanceof LeadershipLost) throw error
      await openTrouble(null, {
        subject: `trigger ${id}`,
        title: `The engine cannot work out what ${title} is to start`,
        evidence: wordsOf(error),
      })
    },
  )
  return told.reduce((sum, n) => sum + n, 0)
}

/** So many values before a row say what distance is usual. */
const MORE_VALUES = 30

async function tellOne(epoch: number, { id, since, measure }: MeasureTrigger): Promise<number> {
  const isFirst = looked.get().get(id) !== since.getTime()
  const all = await seriesOf(null, measure.of)
  const last = await lastFirings(id, since)
  const most = isFirst ? MOST_VALUES : measure.times + MORE_VALUES
  const fired: ToldEvent[] = []
  for (const { series, values } of await newestValues(all, measure.name, since, most)) {
    const firedAt = last.get(keyOf(series)) ?? null
    const after = firedAt === null ? values : values.filter(({ atMs }) => atMs > firedAt.getTime())
    if (firings(measure, after).length === 0) continue
    // One that has fired must have been cleared since; also before the values that were read.
    const isArmed =
      firedAt === null || (after.length === most && (await isCleared(series, measure, firedAt, after[0]?.atMs ?? 0)))
    for (const { atMs, value } of firings(measure, after, isArmed))
      fired.push({
        triggerId: id,
        key: `${keyOf(series)} ${measure.name} ${atMs}`,
        at: new Date(atMs),
        facts: { measure: measure.name, of: series.title, value },
      })
  }
  if (fired.length === 0) {
    looked.get().set(id, since.getTime())
    return 0
  }
  return transaction(async (tx) => {
    await lockLead(tx, epoch)
    return keepEvents(tx, fired)
  })
}

const keyOf = ({ kind, id }: Series): string => `${kind} ${id}`

/** When it last fired for each series, by its key, since it was switched on or its limits were changed. */
async function lastFirings(trigger: number, since: Date): Promise<Map<string, Date>> {
  const rows = await many<{ series: string; at: Date }>(
    null,
    `SELECT split_part(key, ' ', 1) || ' ' || split_part(key, ' ', 2) AS series, max(at) AS at FROM trigger_events
      WHERE trigger_id = $1 AND at > $2 GROUP BY 1`,
    [trigger, since],
  )
  return new Map(rows.map(({ series, at }) => [series, at]))
}

/** Whether a value between these two cleared what had fired. */
async function isCleared(series: Series, measure: Measure, from: Date, toMs: number): Promise<boolean> {
  const values = await valuesOf(null, series, measure.name, from)
  return values.some(({ atMs, value }) => atMs < toMs && clears(measure)(value))
}

export const measureQuerySchema = z
  .strictObject({
    agent: z.string().max(80).optional(),
    pool: z.string().max(64).optional(),
    queue: z.string().max(64).optional(),
    job: z.string().max(64).optional(),
    name: z.string().min(1).max(40),
    /** So far back. */
    days: z.coerce.number().min(0.01).max(KEPT_DAYS).default(1),
  })
  .refine(
    ({ agent, pool, queue, job }) => [agent, pool, queue, job].filter((each) => each !== undefined).length === 1,
    {
      path: ['agent'],
      message: 'Say whose: one of agent, pool, queue, job.',
    },
  )

/** Kept values, of each of which they are. */
export interface MeasureSeries {
  readonly of: string
  /** Instants in milliseconds since the epoch, and values, ascending. */
  readonly values: readonly MeasureValue[]
}
/** So many agents of a pool are shown. */
const MOST_SERIES = 12

export async function measureValues(
  actor: Actor,
  { name, days, ...of }: z.output<typeof measureQuerySchema>,
): Promise<MeasureSeries[]> {
  requireSomewhere(actor, 'see')
  const after = new Date(Date.now() - days * 86_400_000)
  const found: MeasureSeries[] = []
  for (const series of (await seriesOf(null, of)).slice(0, MOST_SERIES))
    found.push({ of: series.title, values: await valuesOf(null, series, name, after) })
  return found
}
