import { groupedBy } from '@/core/group'
import { learn, LEARNING, type ByChoice, type EndedRun, type Learned, type Learning } from '@/core/stats/lengths'
import type { JobLength } from '@/core/forecast/server'
import { execute, many } from '@/store/db'

/** Lengths are learned anew after so long though nothing ran: what is older counts less. */
const STALE_HOURS = 24
/** So many jobs' runs are read at once. */
const JOBS_AT_ONCE = 50
/** Of a kind of job that nobody ever ran. Seconds. */
const UNKNOWN_SECONDS = 60

/** Learns again from the runs of jobs that ran since they were last looked at, or were not looked at for a day. */
export async function refreshLengths(now = new Date()): Promise<number> {
  const stale = await many<{ id: number }>(
    null,
    // What ended before that is known of all that were looked at since.
    `WITH ended AS (
       SELECT job_id, max(ended_at) AS last FROM runs WHERE ended_at > $1::timestamptz - make_interval(hours => ${STALE_HOURS}) GROUP BY job_id)
     SELECT j.id FROM jobs j LEFT JOIN job_lengths l ON l.job_id = j.id LEFT JOIN ended e ON e.job_id = j.id
      WHERE j.deleted_at IS NULL AND NOT j.is_flow
        AND (l.job_id IS NULL OR l.measured_at < $1::timestamptz - make_interval(hours => ${STALE_HOURS}) OR e.last > l.measured_at)
      ORDER BY j.id`,
    [now],
  )
  const learning = { ...LEARNING, prior: stale.length === 0 ? LEARNING.prior : await failuresOfAll() }
  for (let i = 0; i < stale.length; i += JOBS_AT_ONCE) {
    const ids = stale.slice(i, i + JOBS_AT_ONCE).map(({ id }) => id)
    const learned = await learnedOf(ids, now, learning)
    await execute(
      null,
      `INSERT INTO job_lengths (job_id, samples, fails, runs, drift, by_choice, measured_at)
       SELECT x.job_id, ARRAY(SELECT jsonb_array_elements_text(x.samples)::real), x.fails, x.runs, x.drift, nullif(x.by_choice, 'null'), $2
         FROM jsonb_to_recordset($1::jsonb) AS x(job_id bigint, samples jsonb, fails real, runs int, drift real, by_choice jsonb)
       ON CONFLICT (job_id) DO UPDATE SET samples = excluded.samples, fails = excluded.fails, runs = excluded.runs, drift = excluded.drift,
                                          by_choice = excluded.by_choice, measured_at = excluded.measured_at`,
      [
        JSON.stringify(
          ids.map((id) => {
            const { samples, fails, count, drift, byChoice } = learned.get(id) as Learned
            return { job_id: id, samples, fails, runs: count, drift, by_choice: byChoice }
          }),
        ),
        now,
      ],
    )
  }
  return stale.length
}

/** The share of the tries of all jobs that fail, as last learned; with nothing learned yet of what ended lately. */
async function failuresOfAll(): Promise<number> {
  const [row] = await many<{ prior: number | null }>(
    null,
    `SELECT coalesce((SELECT sum(fails * runs) / nullif(sum(runs), 0) FROM job_lengths WHERE runs >= ${LEARNING.least}),
                     (SELECT (count(*) FILTER (WHERE state = 'failed'))::float8 / nullif(sum(greatest(1, attempts)), 0)
                        FROM (SELECT state, attempts FROM runs WHERE state IN ('succeeded','failed') AND kind <> 'flow' ORDER BY id DESC LIMIT 20000) r))::float8 AS prior`,
  )
  return Math.min(LEARNING.prior, row?.prior ?? LEARNING.prior)
}

/** What the runs of these jobs teach that had ended by then. */
async function learnedOf(ids: readonly number[], now: Date, learning: Learning): Promise<Map<number, Learned>> {
  const runs = await endedRuns(ids, now, learning.most)
  return new Map(ids.map((id) => [id, learn(runs.get(id) ?? [], now.getTime() / 1000, learning)]))
}

/** The newest runs of each job that had ended by an instant. */
export async function endedRuns(
  ids: readonly number[],
  before: Date,
  most: number,
): Promise<ReadonlyMap<number, EndedRun[]>> {
  const rows = await many<EndedRun & { jobId: number }>(
    null,
    `SELECT j.id AS "jobId", extract(epoch FROM r.ended_at)::float8 AS at, r.duration_ms / 1000.0::float8 AS seconds, r.state = 'succeeded' AS succeeded, r.attempts,
            CASE WHEN c.names IS NOT NULL THEN (SELECT jsonb_object_agg(n, r.inputs->>n) FROM unnest(c.names) n WHERE jsonb_exists(r.inputs, n)) END AS choices
       FROM unnest($1::bigint[]) AS j(id)
       JOIN jobs w ON w.id = j.id JOIN job_versions v ON v.job_id = w.id AND v.version = w.version
       CROSS JOIN LATERAL (SELECT array_agg(i->>'name') AS names FROM jsonb_array_elements(v.definition->'inputs') i WHERE i->>'type' = 'choice') c
       CROSS JOIN LATERAL (SELECT ended_at, duration_ms, state, attempts, inputs FROM runs
                            WHERE job_id = j.id AND ended_at <= $2 AND state IN ('succeeded','failed') AND duration_ms IS NOT NULL
                            ORDER BY id DESC LIMIT $3) r`,
    [ids, before, most],
  )
  const runs = rows.map(({ choices, ...run }) => ({ ...run, ...(choices ? { choices } : {}) }))
  return groupedBy(runs, ({ jobId }) => jobId)
}

/** Lengths by the names of jobs. With too few runs: the median of all of its kind, as a guess. */
export async function lengthsByJob(): Promise<Record<string, JobLength>> {
  const rows = await many<LengthRow>(
    null,
    `SELECT j.slug, v.definition->'action'->>'kind' AS kind, l.samples, coalesce(l.fails, 0) AS fails, coalesce(l.runs, 0) AS count, l.by_choice AS "byChoice"
       FROM jobs j JOIN job_versions v ON v.job_id = j.id AND v.version = j.version LEFT JOIN job_lengths l ON l.job_id = j.id
      WHERE j.deleted_at IS NULL AND NOT j.is_flow`,
  )
  return lengthsOf(rows)
}

export interface LengthRow {
  readonly slug: string
  readonly kind: string
  readonly samples: readonly number[] | null
  readonly fails: number
  readonly count: number
  readonly byChoice: ByChoice | null
}

/** @param sorted ascending */
const middleOf = (sorted: readonly number[]): number => sorted[sorted.length >> 1] ?? UNKNOWN_SECONDS

/** @param rows of all jobs */
export function lengthsOf(rows: readonly LengthRow[]): Record<string, JobLength> {
  const isKnown = ({ count }: LengthRow): boolean => count >= LEARNING.least
  const middles = rows.filter(isKnown).map(({ kind, samples }) => ({ kind, middle: middleOf(samples ?? []) }))
  const middleOfAll = (all: typeof middles): number => middleOf(all.map(({ middle }) => middle).sort((a, b) => a - b))
  const ofKind = new Map(
    Array.from(
      groupedBy(middles, ({ kind }) => kind),
      ([kind, all]) => [kind, middleOfAll(all)],
    ),
  )
  const ofAny = middleOfAll(middles)
  const guess = (kind: string): number => ofKind.get(kind) ?? ofAny
  return Object.fromEntries(
    rows.map((row) => [
      row.slug,
      isKnown(row)
        ? {
            samples: row.samples ?? [],
            fails: row.fails,
            count: row.count,
            isGuess: false,
            ...(row.byChoice ? { byChoice: row.byChoice } : {}),
          }
        : { samples: [guess(row.kind)], fails: 0, count: row.count, isGuess: true },
    ]),
  )
}
