import { whomToAsk, type DeskState } from '@/core/dispatch'
import { askingSchema } from '@/core/work/job'
import { execute, many, transaction, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { robotIsMeant } from '@/service/fleet/robot-facts'
import { fleetForDispatch, heldAt, readyRuns, runningWork } from './dispatch-input'
import { failRuns } from './effects'

/** So many tasks for attended robots are looked at at once. */
const MOST_LOOKED_AT = 1000

/** What a change of asks means for their runs: they are read anew, and whoever shows them hears of it. */
export async function tellAsks(tx: Tx, asks: readonly { readonly run: number }[]): Promise<void> {
  if (asks.length === 0) return
  const runIds = [...new Set(asks.map(({ run }) => run))]
  await execute(
    tx,
    `UPDATE runs r SET version = version + 1 FROM (SELECT id FROM runs WHERE id = ANY($1) AND state = 'ready' ORDER BY id FOR NO KEY UPDATE) l WHERE r.id = l.id`,
    [runIds],
  )
  await notify(tx, { runs: runIds, fleet: true, place: true })
}

/**
 * Looks after robot tasks that need a person's word: asks, gives up waiting for an answer, goes to the next, and fails those that nobody takes where their job says so.
 */
export async function askAround(nowMs: number): Promise<void> {
  await endAsks(new Date(nowMs))
  const desks = await readDesks()
  if (desks.size === 0) return
  const tasks = await many<{ id: number }>(
    null,
    // Only what an attended robot is meant for: however much waits for others, it hides none of these.
    `SELECT r.id FROM runs r WHERE r.state = 'ready' AND r.kind <> 'flow' AND r.held_by IS NULL
        AND (jsonb_exists(r.target, 'robot') OR jsonb_exists(r.target, 'robotPool') OR jsonb_exists(r.target, 'robotLabels'))
        AND EXISTS (SELECT FROM robots b WHERE b.kind = 'attended' AND b.removed_at IS NULL AND ${robotIsMeant('r.target')})
      ORDER BY r.priority, r.id LIMIT $1`,
    [MOST_LOOKED_AT],
  )
  if (tasks.length === 0) return
  const [ready, fleet, running] = await Promise.all([
    readyRuns(tasks.map(({ id }) => id)),
    fleetForDispatch(),
    runningWork(),
  ])
  const held = heldAt(running)
  const places = fleet.map((place) => ({ ...place, running: held(place) }))
  const { ask, over, nobody } = whomToAsk(ready, places, desks, nowMs)
  if (over.length > 0) await callOff(over)
  if (ask.length > 0) await putQuestions(ask, new Date(nowMs))
  if (nobody.length > 0) await endInVain(nobody)
}

/** Attended robots, and how it is with the people at them. */
async function readDesks(): Promise<Map<string, DeskState>> {
  const rows = await many<{ name: string } & DeskState>(
    null,
    `SELECT b.name, b.desk_since IS NOT NULL AS "isThere", (SELECT count(*)::int FROM desk_asks k WHERE k.robot_id = b.id AND k.state IN ('asked','later')) AS open
       FROM robots b WHERE b.kind = 'attended' AND b.removed_at IS NULL`,
  )
  return new Map(rows.map(({ name, ...state }) => [name, state]))
}

/** Answers that did not come in time, and times that have come; and questions about runs that are somewhere else by now. */
async function endAsks(now: Date): Promise<void> {
  await transaction(async (tx) => {
    const ended = await many<{ run: number }>(
      tx,
      `UPDATE desk_asks k SET state = CASE WHEN NOT l.goes_on THEN 'over' WHEN k.state = 'asked' THEN 'late' ELSE 'agreed' END
         FROM (SELECT a.id, r.state = 'ready' AND a.attempt = r.attempts + 1 AS goes_on FROM desk_asks a JOIN runs r ON r.id = a.run_id
                WHERE a.state IN ('asked','later') AND (a.at <= $1 OR r.state <> 'ready' OR a.attempt <> r.attempts + 1) ORDER BY a.id FOR NO KEY UPDATE OF a) l
        WHERE k.id = l.id RETURNING k.run_id AS run`,
      [now],
    )
    await tellAsks(tx, ended)
  })
}

async function callOff(runIds: readonly number[]): Promise<void> {
  await transaction(async (tx) => {
    const ended = await many<{ run: number }>(
      tx,
      `UPDATE desk_asks k SET state = 'over' FROM (
         SELECT id FROM desk_asks WHERE run_id = ANY($1) AND state IN ('asked','later','agreed') ORDER BY id FOR NO KEY UPDATE) l
        WHERE k.id = l.id RETURNING k.run_id AS run`,
      [runIds],
    )
    await tellAsks(tx, ended)
  })
}

/** How long each is asked, as the job says; what is stored and is no such number is as if it said nothing. */
const SECONDS = `CASE WHEN jsonb_typeof(v.definition->'asking'->'forSeconds') = 'number'
  THEN least(86400, greatest(60, (v.definition->'asking'->>'forSeconds')::float8)) ELSE 900 END`

async function putQuestions(
  ask: readonly { readonly number: number; readonly robot: string }[],
  now: Date,
): Promise<void> {
  await transaction(async (tx) => {
    const asked = await many<{ run: number }>(
      tx,
      `INSERT INTO desk_asks (run_id, attempt, robot_id, state, asked_at, at)
       SELECT r.id, r.attempts + 1, b.id, 'asked', $3, $3::timestamptz + make_interval(secs => ${SECONDS})
         FROM unnest($1::bigint[], $2::text[]) AS u(run, robot) JOIN runs r ON r.id = u.run AND r.state = 'ready'
         JOIN robots b ON b.name = u.robot AND b.removed_at IS NULL JOIN job_versions v ON v.job_id = r.job_id AND v.version = r.job_version
        ORDER BY r.id ON CONFLICT DO NOTHING RETURNING run_id AS run`,
      [ask.map(({ number }) => number), ask.map(({ robot }) => robot), now],
    )
    await tellAsks(tx, asked)
  })
}

/** Everybody was asked: whose job says so has failed; others wait until somebody changes their mind, or another robot fits. */
async function endInVain(runIds: readonly number[]): Promise<void> {
  const rows = await many<{ id: number; asking: unknown; said: string }>(
    null,
    `SELECT r.id, v.definition->'asking' AS asking,
            (SELECT string_agg(b.name || CASE k.state WHEN 'no' THEN ': no' ELSE ': no answer' END, ', ' ORDER BY k.id)
               FROM desk_asks k JOIN robots b ON b.id = k.robot_id WHERE k.run_id = r.id AND k.attempt = r.attempts + 1 AND k.state IN ('no','late')) AS said
       FROM runs r JOIN job_versions v ON v.job_id = r.job_id AND v.version = r.job_version WHERE r.id = ANY($1) AND r.state = 'ready'`,
    [runIds],
  )
  await failRuns(
    rows
      .filter(({ asking }) => askingSchema.safeParse(asking).data?.ifNobody === 'fail')
      .map(({ id, said }) => ({ id, reason: `Nobody at a robot took it (${said}).` })),
  )
}
