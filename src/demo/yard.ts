import { createHash } from 'node:crypto'
import { ACTION_KINDS, jobDefinitionSchema } from '@/core/work/job'
import { triggerDefinitionSchema } from '@/core/work/trigger'
import { COMMAND_LINE } from '@/service/base/actor'
import { hashToken, newToken } from '@/service/base/secrets'
import { timingState } from '@/service/base/timing-cache'
import { insertPerson } from '@/service/people/people'
import { refreshUsual, sampleLoad } from '@/service/runs/upkeep'
import { insertCalendar } from '@/service/timing/calendars'
import { insertTriggers } from '@/service/timing/triggers'
import { insertJob } from '@/service/work/work'
import { db, execute, many, one, transaction, type Tx } from '@/store/db'
import { perform } from './play'
import { YARD_JOBS, YARD_MACHINE, YARD_PEOPLE, type YardJob } from './yard-scenario'

const WEEKS = 3
const AS_BRAM = { ...COMMAND_LINE, name: 'Bram Ostrander' }

/** Loads Stavin Yard into the tables of its organisation, which are empty. The ids of its people by name, and what its machine connects with. */
export async function loadYard(
  now: Date,
): Promise<{ people: Map<string, number>; machines: { name: string; credential: string }[] }> {
  const loaded = await transaction(async (tx) => {
    const people = new Map<string, number>()
    for (const { name, role } of YARD_PEOPLE) {
      const email = `${name.toLowerCase().replace(' ', '.')}@yard.example`
      people.set(
        name,
        (await insertPerson(tx, COMMAND_LINE, { email, name, role, passwordHash: null, isDemo: true })).id,
      )
    }
    const { agentId, credential } = await addMachine(tx, now)
    await insertCalendar(tx, AS_BRAM, {
      slug: 'working-days',
      title: 'Working days',
      notes: '',
      rule: { weekdays: ['MO', 'TU', 'WE', 'TH', 'FR'] },
    })
    await addWork(tx)
    await addPast(tx, agentId, now)
    return { people, machines: [{ name: YARD_MACHINE.name, credential }] }
  })
  await refreshUsual(new Date(0))
  await sampleLoad(new Date(now.getTime() - WEEKS * 7 * 86_400_000), now)
  return loaded
}

async function addMachine(tx: Tx, now: Date): Promise<{ agentId: number; credential: string }> {
  const credential = newToken('bga')
  const { name, system, slots, labels } = YARD_MACHINE
  const { id: agentId } = await db().agents.create(
    {
      name,
      machineId: createHash('sha256').update(name).digest('hex').slice(0, 32),
      host: name,
      system,
      arch: 'x64',
      version: '1.0.0',
      runtime: 'node 20.20.2',
      labels,
      abilities: [...ACTION_KINDS],
      slots,
      credentialHash: hashToken(credential),
      enrolledAt: new Date(now.getTime() - WEEKS * 7 * 86_400_000),
      enrolledBy: 'Bram Ostrander',
      isSimulated: true,
    },
    { transaction: tx },
  )
  await execute(tx, 'INSERT INTO agent_contacts (agent_id, last_contact_at) VALUES ($1, $2)', [agentId, now])
  return { agentId, credential }
}

async function addWork(tx: Tx): Promise<void> {
  const areas = new Map<string, number>()
  for (const title of new Set(YARD_JOBS.map(({ area }) => area)))
    areas.set(title, (await db().areas.create({ title }, { transaction: tx })).id)
  for (const { title, area, notes, command, trigger } of YARD_JOBS) {
    const { id } = await insertJob(tx, AS_BRAM, {
      title,
      notes,
      areaId: areas.get(area) as number,
      active: true,
      definition: jobDefinitionSchema.parse({
        action: { kind: 'command', command },
        target: { agent: YARD_MACHINE.name },
        retries: 0,
      }),
    })
    const definition = triggerDefinitionSchema.parse({ zone: 'Europe/London', ...trigger })
    await insertTriggers(tx, AS_BRAM, [{ title, notes: '', jobId: id, enabled: true, definition, sure: true }])
  }
}

/** What its triggers would have started in the weeks before. */
async function addPast(tx: Tx, agentId: number, now: Date): Promise<void> {
  const timing = await timingState(tx)
  const to = now.getTime() - 60_000
  const past = []
  for (const job of YARD_JOBS) {
    const { id, areaId, triggerId, definition } = await one<{
      id: number
      areaId: number
      triggerId: number
      definition: Parameters<typeof timing.schedule>[2]
    }>(
      tx,
      'SELECT j.id, j.area_id AS "areaId", t.id AS "triggerId", t.definition FROM jobs j JOIN triggers t ON t.job_id = j.id WHERE j.title = $1',
      [job.title],
    )
    for (const { at } of timing.schedule(triggerId, 1, definition).between(to / 1000 - WEEKS * 7 * 86_400, to / 1000))
      past.push({ ...pastRun(job, at), jobId: id, areaId, triggerId, atMs: at * 1000 })
  }
  past.sort((a, b) => a.atMs - b.atMs)
  const done = past.filter(({ atMs, seconds }) => atMs + seconds * 1000 < to)
  const at = (ms: number): Date => new Date(ms)
  const runs = await many<{ id: number }>(
    tx,
    `INSERT INTO runs (job_id, job_version, area_id, target, kind, cause, starter_name, state, version, priority, attempts, created_at, ready_at, started_at, ended_at,
                       duration_ms, agent_id, exit_code, reason, trigger_id, trigger_version, occurrence)
     SELECT u.job, 1, u.area, $9, 'command', 'trigger', u.title, u.state, 3, 2, 1, u.started, u.started, u.started, u.ended,
            extract(epoch FROM u.ended - u.started) * 1000, $10, CASE u.state WHEN 'failed' THEN 1 ELSE 0 END,
            CASE u.state WHEN 'failed' THEN 'Exit code 1; success is 0.' ELSE 'Exit code 0.' END, u.trigger, 1, u.started
       FROM unnest($1::bigint[], $2::bigint[], $3::text[], $4::text[], $5::timestamptz[], $6::timestamptz[], $7::bigint[], $8::int[])
         AS u(job, area, title, state, started, ended, trigger, n) ORDER BY u.n RETURNING id`,
    [
      done.map((run) => run.jobId),
      done.map((run) => run.areaId),
      done.map((run) => run.title),
      done.map((run) => (run.fails ? 'failed' : 'succeeded')),
      done.map((run) => at(run.atMs)),
      done.map((run) => at(run.atMs + run.seconds * 1000)),
      done.map((run) => run.triggerId),
      done.map((_, n) => n),
      JSON.stringify({ agent: YARD_MACHINE.name }),
      agentId,
    ],
  )
  const attempts = await many<{ id: number }>(
    tx,
    `INSERT INTO attempts (run_id, number, agent_id, state, lease_until, handed_at, started_at, ended_at, exit_code, reason, output_lines, telling_line)
     SELECT r.id, 1, r.agent_id, r.state, r.ended_at, r.started_at, r.started_at, r.ended_at, r.exit_code, r.reason, u.lines, u.telling
       FROM unnest($1::bigint[], $2::int[], $3::text[]) AS u(run, lines, telling) JOIN runs r ON r.id = u.run ORDER BY u.run RETURNING id`,
    [
      runs.map(({ id }) => id),
      done.map(({ lines }) => lines.length),
      done.map(({ lines }) => lines.at(-1)?.text ?? ''),
    ],
  )
  await execute(
    tx,
    'INSERT INTO output_chunks SELECT u.id, 1, jsonb_array_length(u.lines), u.lines FROM unnest($1::bigint[], $2::jsonb[]) AS u(id, lines)',
    [
      attempts.map(({ id }) => id),
      done.map(({ atMs, seconds, lines }) =>
        JSON.stringify(lines.map((line) => [Math.round(atMs + line.at * seconds * 1000), line.stream, line.text])),
      ),
    ],
  )
}

const pastRun = (job: YardJob, atMs: number): ReturnType<typeof perform> & { title: string } => ({
  title: job.title,
  ...perform(job.title, [atMs], 0),
})
