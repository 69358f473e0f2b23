import { deskSaySchema, type DeskSay, type DeskState, type ItemAnswer } from '@/agent/protocol'
import { heightOf } from '@/core/people/rights'
import { clipText } from '@/core/schema/plain-text'
import { execute, many, maybeOne, transaction } from '@/store/db'
import { notify } from '@/store/listen'
import { record } from '@/service/base/audit'
import { seenBy, type Actor } from '@/service/base/actor'
import { Problem } from '@/service/base/problem'
import { robotIsMeant } from '@/service/fleet/robot-facts'
import { actorOfPerson } from '@/service/people/sessions'
import { tellAsks } from './asking'
import { startRun, startSchema } from './start'

/** Questions and jobs beyond so many are not told at one desk. */
const MOST = 100

/** How much on an area it takes to start something there. */
const OPERATES = heightOf('operate')

/** A robot with the person at it. */
interface Desk {
  readonly id: number
  readonly robot: string
  readonly personId: number | null
  readonly person: string | null
}

/** So many robots of one agent are told of. */
const MOST_DESKS = 200

/** The attended robots of these agents, each with what its person is asked and may start. */
export async function desksOf(agentIds: readonly number[]): Promise<Map<number, DeskState[]>> {
  const found = new Map<number, DeskState[]>(agentIds.map((id) => [id, []]))
  if (agentIds.length === 0) return found
  const desks = await many<Desk & { agentId: number; user: string; isThere: boolean }>(
    null,
    `SELECT b.id, b.agent_id AS "agentId", b.name AS robot, c.user_name AS user, p.id AS "personId", p.name AS person, b.desk_since IS NOT NULL AS "isThere"
       FROM robots b JOIN accounts c ON c.id = b.account_id LEFT JOIN people p ON p.id = b.person_id AND p.active
      WHERE b.agent_id = ANY($1) AND b.kind = 'attended' AND b.removed_at IS NULL ORDER BY b.name`,
    [agentIds],
  )
  if (desks.length === 0) return found
  const [questions, tasks] = await Promise.all([
    questionsAt(desks.map(({ id }) => id)),
    tasksOf(desks.flatMap(({ id, isThere }) => (isThere ? [id] : []))),
  ])
  for (const { id, agentId, robot, user, person } of desks) {
    const of = found.get(agentId)
    if (!of || of.length >= MOST_DESKS) continue
    const may = (tasks.get(id) ?? []).map(({ slug, title, inputs }) => ({ job: slug, title, inputs }))
    of.push({ robot, user, person, questions: questions.get(id) ?? [], may })
  }
  return found
}

/** What waits for an answer, or was refused and still waits for anybody. */
async function questionsAt(robotIds: readonly number[]): Promise<Map<number, DeskState['questions']>> {
  const rows = await many<Omit<DeskState['questions'][number], 'at'> & { robotId: number; nth: number; at: Date }>(
    null,
    // What is asked now comes before all that was refused, and of each robot only so many are read.
    `SELECT * FROM (SELECT k.robot_id AS "robotId", k.id AS ask, k.run_id AS run, j.title, k.state AS how, k.at, j.usual_ms AS "usualMs",
            row_number() OVER (PARTITION BY k.robot_id ORDER BY k.state IN ('no','late'), k.id) AS nth,
            CASE WHEN r.trigger_id IS NOT NULL THEN 'the trigger “' || t.title || '”' WHEN r.flow_run_id IS NOT NULL THEN 'the flow run #' || r.flow_run_id
                 WHEN r.starter_name <> '' THEN r.starter_name ELSE 'Bugle' END AS "from"
       FROM desk_asks k JOIN runs r ON r.id = k.run_id AND r.state = 'ready' AND k.attempt = r.attempts + 1
       JOIN jobs j ON j.id = r.job_id LEFT JOIN triggers t ON t.id = r.trigger_id
      WHERE k.robot_id = ANY($1) AND k.state <> 'over'
        AND (k.state IN ('asked','later','agreed') OR NOT EXISTS (SELECT FROM desk_asks l WHERE l.run_id = k.run_id AND l.attempt = k.attempt AND l.state IN ('asked','later','agreed')))
    ) q WHERE nth <= $2 ORDER BY "robotId", nth`,
    [robotIds, MOST],
  )
  const found = new Map<number, DeskState['questions']>()
  for (const { robotId, nth: _nth, at, ...question } of rows) {
    const list = found.get(robotId) ?? []
    found.set(robotId, list)
    list.push({ ...question, title: clipText(question.title, 900), at: at.getTime() })
  }
  return found
}

interface Task {
  readonly id: number
  readonly slug: string
  readonly title: string
  readonly inputs: string[]
}

/**
 * What people may start at these robots, by robot: tasks that go to it, on which they may operate. Nothing that would go elsewhere: whoever holds the machine could speak for them.
 */
async function tasksOf(robotIds: readonly number[]): Promise<Map<number, Task[]>> {
  const found = new Map<number, Task[]>()
  if (robotIds.length === 0) return found
  const rows = await many<Task & { robotId: number }>(
    null,
    `SELECT b.id AS "robotId", t.* FROM robots b JOIN people q ON q.id = b.person_id AND q.active CROSS JOIN LATERAL (
       SELECT j.id, j.slug, j.title, jsonb_path_query_array(v.definition, '$.inputs[*].name ? (@.type() == "string")') AS inputs
         FROM jobs j JOIN job_versions v ON v.job_id = j.id AND v.version = j.version
        WHERE j.active AND j.deleted_at IS NULL AND j.area_id IN (SELECT area_id FROM area_rights(q.id) WHERE height >= ${OPERATES})
          AND ${robotIsMeant("(v.definition->'target')")} ORDER BY j.title, j.id LIMIT $2) t
      WHERE b.id = ANY($1) ORDER BY b.id, t.title, t.id`,
    [robotIds, MOST],
  )
  for (const { robotId, ...task } of rows) found.set(robotId, [...(found.get(robotId) ?? []), task])
  return found
}
/** At which of an agent's robots the desk program is open. */
export async function noteThere(agentId: number, robots: readonly string[]): Promise<void> {
  await transaction(async (tx) => {
    const changed = await execute(
      tx,
      `UPDATE robots SET desk_since = CASE WHEN name = ANY($2) THEN now() END
        WHERE agent_id = $1 AND removed_at IS NULL AND (desk_since IS NOT NULL) <> (kind = 'attended' AND name = ANY($2))
          AND (kind = 'attended' OR desk_since IS NOT NULL)`,
      [agentId, robots],
    )
    if (changed > 0) await notify(tx, { fleet: true })
  })
}

const refused = (why: string): ItemAnswer => ({ ok: false, why: clipText(why, 1000) })

/** A word of the person at a robot, as its agent passes it on: only about questions that were put there, and tasks that go there. */
export async function hearDesk(
  agentId: number,
  { robot, request, ask }: { readonly robot: string; readonly request: string; readonly ask: unknown },
): Promise<ItemAnswer> {
  const say = deskSaySchema.safeParse(ask)
  if (!say.success) return refused(say.error.issues[0]?.message ?? 'This is nothing that can be said here.')
  const desk = await maybeOne<Desk>(
    null,
    `SELECT b.id, b.name AS robot, p.id AS "personId", p.name AS person FROM robots b LEFT JOIN people p ON p.id = b.person_id AND p.active
      WHERE b.agent_id = $1 AND b.name = $2 AND b.kind = 'attended' AND b.removed_at IS NULL`,
    [agentId, robot],
  )
  if (!desk) return refused(`There is no attended robot ${robot} here.`)
  try {
    return say.data.do === 'start' ? await startThere(desk, say.data, request) : await answer(desk, say.data)
  } catch (error) {
    if (error instanceof Problem) return refused(error.message)
    throw error
  }
}

async function startThere(
  desk: Desk,
  { job, inputs }: Extract<DeskSay, { do: 'start' }>,
  request: string,
): Promise<ItemAnswer> {
  const actor = desk.personId === null ? undefined : await actorOfPerson(desk.personId, `at ${desk.robot}`)
  if (!actor) return refused('Nobody is known to sit here: an administrator says who, on the robot’s page.')
  const task = (await tasksOf([desk.id])).get(desk.id)?.find(({ slug }) => slug === job)
  if (!task) return refused(`There is no task ${job} that you may start here.`)
  const start = startSchema.safeParse({
    jobId: task.id,
    inputs,
    requestKey: `desk ${request}`,
    target: { robot: desk.robot },
  })
  if (!start.success) return refused(start.error.issues[0]?.message ?? 'These are no inputs.')
  const { id } = await seenBy(actor, () => startRun(actor, start.data))
  return { ok: true, answer: { text: `${task.title} is #${id}.` } }
}

/** Said again, it is true already; said of something that has gone elsewhere meanwhile, it comes too late. */
async function answer(desk: Desk, say: Exclude<DeskSay, { do: 'start' }>): Promise<ItemAnswer> {
  const by = desk.person ?? `the person at ${desk.robot}`
  const state = ({ now: 'agreed', later: 'later', no: 'no' } as const)[say.do]
  return transaction(async (tx) => {
    const question = await maybeOne<{ run: number; title: string; state: string; waits: boolean }>(
      tx,
      `SELECT k.run_id AS run, j.title, k.state, r.state = 'ready' AND k.attempt = r.attempts + 1 AND NOT EXISTS (
                SELECT FROM desk_asks o WHERE o.run_id = k.run_id AND o.attempt = k.attempt AND o.id <> k.id AND o.state IN ('asked','later','agreed')) AS waits
         FROM desk_asks k JOIN runs r ON r.id = k.run_id JOIN jobs j ON j.id = r.job_id
        WHERE k.id = $1 AND k.robot_id = $2 FOR NO KEY UPDATE OF k, r`,
      [say.ask, desk.id],
    )
    if (!question) return refused('Nothing of that number was asked here.')
    const { run, title } = question
    const done = { ok: true, answer: { text: wordsOf(say, title, run) } } as const
    if (question.state === 'agreed' && say.do === 'now') return done
    if (!question.waits || question.state === 'over')
      return refused(`#${run} does not wait for you any more: it is done elsewhere, or not at all.`)
    const at = say.do === 'later' ? new Date(Date.now() + say.minutes * 60_000) : new Date()
    await execute(tx, 'UPDATE desk_asks SET state = $2, at = $3, answered_at = now(), answered_by = $4 WHERE id = $1', [
      say.ask,
      state,
      at,
      by,
    ])
    await record(
      tx,
      atDesk(desk),
      'answered at a robot',
      { type: 'run', id: run, title },
      { robot: desk.robot, said: say.do },
    )
    await tellAsks(tx, [{ run }])
    return done
  })
}

const wordsOf = (say: Exclude<DeskSay, { do: 'start' }>, title: string, run: number): string =>
  say.do === 'now'
    ? `${title}, #${run}: it starts as soon as the robot is free.`
    : say.do === 'later'
      ? `${title}, #${run}: in ${say.minutes} ${say.minutes === 1 ? 'minute' : 'minutes'}, unless another robot takes it before.`
      : `${title}, #${run}: not here.`

/** Who answers is whoever sits there: by name if that is known. */
const atDesk = ({ personId, person, robot }: Desk): Actor => ({
  id: personId,
  name: person ?? `the person at ${robot}`,
  email: '',
  role: 'none',
  via: 'engine',
  address: `at ${robot}`,
  sessionId: null,
})
