import { timesOf } from './shared'
import { jobDefinitionSchema } from '@/core/work/job'
import { makeOrganisation } from '@/service/organisations/organisations'
import { COMMAND_LINE, seenBy, type Actor } from '@/service/base/actor'
import { signInAsDemoPerson } from '@/service/entry/sign-in'
import { whoHasSession } from '@/service/people/sessions'
import { listMatters } from '@/service/runs/matters'
import { countRuns, listRuns, runFilterSchema } from '@/service/runs/run-list'
import { listTriggers, triggerFilterSchema } from '@/service/timing/trigger-list'
import { find, justEnded, lanes } from '@/service/watch/watch'
import { listAreas } from '@/service/work/areas'
import { rightsOfPerson, whoMay } from '@/service/work/who-may'
import { listJobs } from '@/service/work/work'
import { closeDb, execute, many } from '@/store/db'
import { migrate } from '@/store/migrate'

const AREAS = 10_000
const PEOPLE = 1_000
const JOBS = 10_000
const RUNS = 300_000
const ROUNDS = 40
const MOST_MS = 150

/** Areas up to five deep, one in twenty closed; people of every role, ten grants each, some by groups. */
async function fill(): Promise<void> {
  await migrate()
  for (let depth = 0; depth < 5; depth++)
    await execute(
      null,
      `INSERT INTO areas (id, title, parent_id, closed) SELECT i, 'Area ' || i, CASE WHEN $1 > 0 THEN 1 + (i * 7) % ($1 * ${AREAS / 5}) END, i % 20 = 0
         FROM generate_series($1 * ${AREAS / 5} + 1, ($1 + 1) * ${AREAS / 5}) AS i`,
      [depth],
    )
  await execute(
    null,
    `INSERT INTO people (email, name, role, is_demo) SELECT 'p' || i || '@marram.example', 'Person ' || i, (ARRAY['none','viewer','operator','designer','administrator'])[1 + i % 5], true
       FROM generate_series(0, ${PEOPLE - 1}) AS i`,
  )
  await execute(
    null,
    `INSERT INTO groups (title, changed_by) SELECT 'Group ' || i, 'bench' FROM generate_series(1, 50) AS i`,
  )
  await execute(null, `INSERT INTO group_members SELECT 1 + id % 50, id FROM people`)
  await execute(
    null,
    `INSERT INTO grants (area_id, person_id, may) SELECT 1 + (p.id * 37 + g * 991) % ${AREAS}, p.id, (ARRAY['see','operate','design','manage'])[1 + g % 4] FROM people p, generate_series(1, 8) AS g ON CONFLICT DO NOTHING`,
  )
  await execute(
    null,
    `INSERT INTO grants (area_id, group_id, may) SELECT 1 + (r.id * 101 + g * 733) % ${AREAS}, r.id, 'operate' FROM groups r, generate_series(1, 20) AS g ON CONFLICT DO NOTHING`,
  )
  const definition = jobDefinitionSchema.parse({
    action: { kind: 'command', command: 'true' },
    target: { pool: 'quay' },
  })
  await execute(
    null,
    `INSERT INTO jobs (slug, title, area_id, saved_by) SELECT 'job-' || i, 'Job ' || i, 1 + (i * 13) % ${AREAS}, 'bench' FROM generate_series(1, ${JOBS}) AS i`,
  )
  await execute(null, `INSERT INTO job_versions (job_id, version, definition) SELECT id, 1, $1 FROM jobs`, [
    JSON.stringify(definition),
  ])
  await execute(
    null,
    `INSERT INTO triggers (slug, title, job_id, definition, next_at, says, runs_per_day, gap_seconds, saved_by)
     SELECT 'trigger-' || id, 'Trigger ' || id, id, '{"time":{"at":["02:00"]},"zone":"UTC"}', now() + make_interval(secs => id), 'every day at 02:00', 1, 86400, 'bench' FROM jobs`,
  )
  await execute(
    null,
    `INSERT INTO agents (name, machine_id, host, system, arch, version, runtime, credential_hash) SELECT 'agent-' || i, 'm' || i, 'h', '', '', '1.0.0', '', 'hash-' || i FROM generate_series(1, 200) AS i`,
  )
  await execute(
    null,
    `INSERT INTO runs (trigger_id, job_id, job_version, area_id, target, kind, cause, started_by, state, priority, agent_id, created_at, ready_at, started_at, ended_at, duration_ms, exit_code, attempts)
     SELECT j.id, j.id, 1, j.area_id, '{"pool":"quay"}', 'command', (ARRAY['person','token','again'])[1 + i % 3], 1 + i % ${PEOPLE},
            CASE WHEN i > ${RUNS - 300} THEN (ARRAY['running','ready','waiting'])[1 + i % 3] WHEN i % 33 = 0 THEN 'failed' ELSE 'succeeded' END,
            2, 1 + i % 200, t, t, t + interval '1 s', CASE WHEN i <= ${RUNS - 300} THEN t + make_interval(secs => 5 + i % 900) END,
            CASE WHEN i <= ${RUNS - 300} THEN (5 + i % 900) * 1000 END, 0, 1
       FROM generate_series(1, ${RUNS}) AS i CROSS JOIN LATERAL (SELECT now() - make_interval(secs => (${RUNS} - i) * 5) AS t) x JOIN jobs j ON j.id = 1 + (i * 7) % ${JOBS}`,
  )
  await execute(null, 'VACUUM ANALYZE')
}

const times = async (work: () => Promise<unknown>): Promise<number> => (await timesOf(ROUNDS, work)).p95

const day = (daysAgo: number): string => new Date(Date.now() - daysAgo * 86_400_000).toISOString()
const FILTERS: Record<string, Record<string, string>> = {
  'first rows': {},
  'one state': { state: 'failed' },
  'one job': { job: '17' },
  'a title': { text: 'Job 11' },
  'a number': { text: '#123456' },
  'an area': { area: '1' },
  'a machine': { agent: '7' },
  'a person': { person: '3' },
  'a cause': { cause: 'again' },
  'on the board': { board: 'yes' },
  'a day': { from: day(3), to: day(2) },
  'by start': { sort: 'started' },
  'by length': { sort: 'duration' },
}

async function actorOf(role: string): Promise<Actor> {
  const [person] = await many<{ id: number }>(
    null,
    'SELECT id FROM people WHERE role = $1 ORDER BY id LIMIT 1 OFFSET 7',
    [role],
  )
  const token = await signInAsDemoPerson(person?.id ?? 0, { address: '127.0.0.1', userAgent: 'bench' })
  const found = await whoHasSession(token, '127.0.0.1')
  if (!found) throw new Error('not signed in')
  return found.actor
}

async function listsAs(actor: Actor, night: Date): Promise<Record<string, number>> {
  const seen = (work: () => Promise<unknown>) => (): Promise<unknown> => seenBy(actor, work)
  const of: Record<string, number> = {}
  for (const [name, filter] of Object.entries(FILTERS))
    of[`runs, ${name}`] = await times(seen(() => listRuns(actor, runFilterSchema.parse(filter))))
  of['schedules'] = await times(seen(() => listTriggers(actor, triggerFilterSchema.parse({}))))
  of['jobs and flows'] = await times(seen(() => listJobs(actor)))
  of['areas'] = await times(seen(() => listAreas(actor)))
  of['counts of Watch'] = await times(seen(() => countRuns(actor, night)))
  of['lanes of Watch'] = await times(seen(() => lanes(actor, night, 60)))
  of['just ended'] = await times(seen(() => justEnded(actor)))
  of['matters'] = await times(seen(() => listMatters(actor)))
  of['finder'] = await times(seen(() => find(actor, 'Job 12')))
  return of
}

async function main(): Promise<void> {
  process.env.BUGLE_DEMO = '1'
  await fill()
  const p95: Record<string, Record<string, number>> = {}
  const night = new Date(Date.now() - 12 * 3_600_000)
  const people = {
    ...Object.fromEntries(
      await Promise.all(['none', 'viewer', 'administrator'].map(async (role) => [role, await actorOf(role)] as const)),
    ),
  }
  for (const [role, actor] of Object.entries(people)) p95[role] = await listsAs(actor, night)
  p95['who may what'] = {
    'on an area': await times(() => whoMay(COMMAND_LINE, 4711)),
    'a person': await times(() => rightsOfPerson(COMMAND_LINE, 8)),
  }
  // From here on each transaction says first for which one it is.
  await makeOrganisation(COMMAND_LINE, { title: 'Another' })
  p95['administrator, one of two organisations'] = await listsAs(people.administrator as Actor, night)
  const above = Object.entries(p95).flatMap(([who, of]) =>
    Object.entries(of)
      .filter(([name, ms]) => name.startsWith('runs') && ms > MOST_MS)
      .map(([name, ms]) => `${who}: ${name} ${ms}`),
  )
  process.stdout.write(`${JSON.stringify({ areas: AREAS, people: PEOPLE, runs: RUNS, p95, above }, null, 2)}\n`)
  await closeDb()
}

main().catch((error: unknown) => {
  process.stderr.write(`${String((error as Error).stack ?? error)}\n`)
  process.exit(1)
})
