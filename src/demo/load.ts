import { ACTION_KINDS, jobDefinitionSchema } from '@/core/work/job'
import { createHash } from 'node:crypto'
import { PRIORITIES } from '@/core/dispatch'
import { sayEnding } from '@/core/flow/ending'
import { COMMAND_LINE } from '@/service/base/actor'
import { insertPerson } from '@/service/people/people'
import { hashToken, newToken } from '@/service/base/secrets'
import { clearBoard, refreshUsual, sampleLoad } from '@/service/runs/upkeep'
import { insertCalendar } from '@/service/timing/calendars'
import { insertRuns, workToStart, type NewRun } from '@/service/runs/new-run'
import { triggerDefinitionSchema } from '@/core/work/trigger'
import { insertTriggers } from '@/service/timing/triggers'
import { insertJob } from '@/service/work/work'
import { db, execute, many, maybeOne, one, transaction, type Tx } from '@/store/db'
import { flowDefinitionSchema } from '@/core/work/flow'
import { keepPlans, presentPlans } from '@/service/flows/flow-plans'
import { addAccountIn } from '@/service/fleet/accounts'
import { addRobotIn } from '@/service/fleet/robots'
import { insertFlow } from '@/service/work/flows'
import { addLockIn } from '@/service/fleet/locks'
import { addMailServerIn } from '@/service/notices/mail-servers'
import { addNoticeIn } from '@/service/notices/notices'
import { writeSetting } from '@/service/base/settings'
import { addSharedValueIn } from '@/service/work/shared-values'
import { FLOWS } from './flows'
import { makeHistory, titleOfStep, type Past, type PastFlow, type PastRun } from './history'
import { behaviourOf } from './play'
import { ACCOUNTS } from './exchange'
import { AREAS, CLOSED_AREA, JOBS, MACHINES, NIGHT_DESK, PEOPLE, POOLS, ROBOTS, WITHIN } from './scenario'
import { addLooks } from './looks'
import { LOCKS, MAIL_SERVER, noticesFor, SHARED_VALUES } from './shared'
import { addPastMeasures, addPastOutputs } from './measures'
import { addAllowances } from './allowances'
import { addViews } from './views'
import { addSystems } from './systems'
import { addShift } from './shift'
import { addTrouble } from './trouble'
import { addReports } from './reports'
import { addPastRefunds, addRefundQueue } from './queues'
import { demoCalendars, TRIGGERS } from './timing'

const WEEKS = 8
const SEED = 20_270_309
/** Output is kept for the last days only, as keeping would have it. */
const OUTPUT_DAYS = 4

export interface DemoSecrets {
  /** What the simulated fleet connects with. */
  readonly machines: { name: string; credential: string }[]
}

/** Loads Marram Sound Ferries into an empty database. Returns null, changing nothing, if anybody is in it already. */
export async function loadDemo(now: Date): Promise<DemoSecrets | null> {
  return transaction(async (tx) => {
    if (await maybeOne(tx, 'SELECT 1 AS one FROM people LIMIT 1')) return null
    const people = await addPeople(tx)
    const machines = await addFleet(tx, now)
    await addAccounts(tx)
    await addRobots(tx, now)
    await addSharedAndLocks(tx)
    await addSystems(tx)
    await addAreas(tx)
    await addRefundQueue(tx)
    const jobs = await addWork(tx)
    await addMembers(tx, people)
    for (const calendar of demoCalendars(now))
      await insertCalendar(tx, { ...COMMAND_LINE, name: 'Torvald Brekke' }, calendar)
    const flows = await addFlows(tx)
    const triggers = await addTiming(tx, jobs, flows)
    await addNotices(tx, flows)
    const past = makeHistory(now.getTime() - WEEKS * 7 * 86_400_000, now.getTime(), SEED)
    await addHistory(tx, past, { jobs, flows, people, triggers }, now)
    await addLeftOut(tx, past.leftOut, triggers)
    await addOpenRuns(tx, past, triggers)
    return { machines }
  }).then(async (secrets) => {
    if (secrets) {
      await robotsDidIt()
      await addPastRefunds(now, SEED)
      await addPastMeasures(now)
      await addPastOutputs()
      await datedBack(now)
      await addTrouble(now)
      await addLooks()
      await refreshUsual(new Date(0))
      await sampleLoad(new Date(now.getTime() - WEEKS * 7 * 86_400_000), now)
      await clearBoard()
      await openDemoMatters()
      await addShift(now)
      await addAllowances(now)
      await addViews()
      await addReports(now)
      await execute(null, 'ANALYZE')
    }
    return secrets
  })
}

/** What is there was made before the past begins, not in the minute in which the demo is loaded. */
async function datedBack(now: Date): Promise<void> {
  await execute(null, `UPDATE audit SET at = at - make_interval(weeks => $2) WHERE at >= $1`, [now, WEEKS])
}

/** What was done at the desks was done by their robots. */
async function robotsDidIt(): Promise<void> {
  await execute(
    null,
    `UPDATE runs r SET robot_id = b.id, account = c.name, account_id = c.id, slots = 0 FROM robots b JOIN accounts c ON c.id = b.account_id
      WHERE r.agent_id = b.agent_id AND r.target ?| ARRAY['robotPool','robot']`,
  )
  await execute(
    null,
    `UPDATE attempts a SET robot_id = b.id FROM robots b, runs r WHERE r.id = a.run_id AND a.agent_id = b.agent_id AND r.target ?| ARRAY['robotPool','robot']`,
  )
}

async function addPeople(tx: Tx): Promise<Map<string, number>> {
  const ids = new Map<string, number>()
  for (const { name, role } of PEOPLE) {
    const email = `${name.toLowerCase().replace(' ', '.')}@marram.example`
    const { id } = await insertPerson(tx, COMMAND_LINE, { email, name, role, passwordHash: null, isDemo: true })
    ids.set(name, id)
  }
  return ids
}

async function addFleet(tx: Tx, now: Date): Promise<DemoSecrets['machines']> {
  const poolIds = new Map<string, number>()
  for (const [name, title] of Object.entries(POOLS))
    poolIds.set(name, (await db().pools.create({ name, title }, { transaction: tx })).id)
  const secrets: DemoSecrets['machines'] = []
  for (const machine of MACHINES) {
    const credential = newToken('bga')
    const agent = await db().agents.create(
      {
        name: machine.name,
        machineId: createHash('sha256').update(machine.name).digest('hex').slice(0, 32),
        host: machine.name,
        system: machine.system,
        arch: 'x64',
        version: machine.version ?? '1.0.0',
        runtime: 'node 20.20.2',
        labels: machine.labels,
        abilities: [...ACTION_KINDS],
        slots: machine.slots,
        credentialHash: hashToken(credential),
        enrolledAt: new Date(now.getTime() - WEEKS * 7 * 86_400_000),
        enrolledBy: 'Ines Aldaya',
        isSimulated: true,
      },
      { transaction: tx },
    )
    await execute(tx, 'INSERT INTO agent_contacts (agent_id, last_contact_at) VALUES ($1, $2)', [agent.id, now])
    for (const name of machine.pools)
      await execute(tx, 'INSERT INTO pool_members VALUES ($1, $2)', [poolIds.get(name), agent.id])
    await execute(
      tx,
      `INSERT INTO agent_events (agent_id, at, kind, detail) VALUES ($1, $2, 'enrolled', 'with a key of Ines Aldaya')`,
      [agent.id, agent.enrolledAt],
    )
    secrets.push({ name: machine.name, credential })
  }
  return secrets
}

async function addAreas(tx: Tx): Promise<void> {
  const areaIds = new Map<string, number>()
  for (const title of AREAS) {
    const within = WITHIN[title]
    const parentId = within === undefined ? null : (areaIds.get(within) as number)
    areaIds.set(title, (await db().areas.create({ title, parentId }, { transaction: tx })).id)
  }
}

async function addWork(tx: Tx): Promise<Map<string, { id: number; areaId: number }>> {
  const areaIds = new Map(
    (await many<{ id: number; title: string }>(tx, 'SELECT id, title FROM areas')).map((row) => [row.title, row.id]),
  )
  const jobs = new Map<string, { id: number; areaId: number }>()
  for (const job of JOBS) {
    const areaId = areaIds.get(job.area) as number
    const content = {
      title: job.title,
      notes: job.notes,
      areaId,
      active: true,
      definition: jobDefinitionSchema.parse(job.definition),
    }
    const { id } = await insertJob(tx, { ...COMMAND_LINE, name: 'Moira Calder' }, content)
    jobs.set(job.title, { id, areaId })
  }
  return jobs
}

/** The group of the night, and who may see the area that is closed to all others. */
async function addMembers(tx: Tx, people: ReadonlyMap<string, number>): Promise<void> {
  const { title, notes } = NIGHT_DESK
  const group = await db().groups.create({ title, notes, changedBy: 'Ines Aldaya' }, { transaction: tx })
  for (const name of NIGHT_DESK.people)
    await db().groupMembers.create({ groupId: group.id, personId: people.get(name) as number }, { transaction: tx })
  const area = await db().areas.findOne({ where: { title: CLOSED_AREA.title }, transaction: tx })
  if (!area) throw new Error(`There is no area ${CLOSED_AREA.title}.`)
  await area.update({ closed: true }, { transaction: tx })
  for (const member of CLOSED_AREA.members) {
    const to = 'person' in member ? { personId: people.get(member.person) as number } : { groupId: group.id }
    await db().grants.create({ areaId: area.id, may: member.may, ...to }, { transaction: tx })
  }
}

/** Accounts that jobs of the demo sign in with, on every agent. */
async function addAccounts(tx: Tx): Promise<void> {
  for (const account of ACCOUNTS)
    await addAccountIn(
      tx,
      { ...COMMAND_LINE, name: 'Ines Aldaya' },
      {
        ...account,
        everywhere: true,
        agentIds: [],
        areaIds: null,
        goodUntil: null,
        // The stand-ins are on this machine, with keys that they make anew.
        hosts: ['127.0.0.1', 'kelda-db1'],
        plain: false,
        unknownHosts: true,
      },
    )
}

/** Robots of the desks; what came of trying their accounts is known from before. */
async function addRobots(tx: Tx, now: Date): Promise<void> {
  const pools = await many<{ id: number }>(tx, `SELECT id FROM pools WHERE name = 'desks'`)
  for (const { machine, userName, secret, goodForDays, person, ...robot } of ROBOTS) {
    const agent = await one<{ id: number }>(tx, 'SELECT id FROM agents WHERE name = $1', [machine])
    const goodUntil = goodForDays === null ? null : new Date(now.getTime() + goodForDays * 86_400_000).toISOString()
    const account = { name: `terminal-${robot.name}`, userName, secret, goodUntil }
    const personId =
      person === null ? null : (await one<{ id: number }>(tx, 'SELECT id FROM people WHERE name = $1', [person])).id
    const poolIds = pools.map(({ id }) => id)
    const request = { ...robot, agentId: agent.id, account, calendar: null, poolIds, personId }
    await addRobotIn(tx, { ...COMMAND_LINE, name: 'Ines Aldaya' }, { ...request, labels: { site: 'kelda' } })
  }
}

async function addSharedAndLocks(tx: Tx): Promise<void> {
  const administrator = { ...COMMAND_LINE, name: 'Ines Aldaya' }
  for (const value of SHARED_VALUES) await addSharedValueIn(tx, administrator, value)
  for (const lock of LOCKS) await addLockIn(tx, administrator, lock)
  await addMailServerIn(tx, administrator, MAIL_SERVER)
  // Notices of the demo go to stand-ins on this machine.
  await writeSetting(tx, 'addresses', { allow: ['127.0.0.1'] })
}

async function addFlows(tx: Tx): Promise<Map<string, { id: number; areaId: number }>> {
  const areas = new Map(
    (await many<{ id: number; title: string }>(tx, 'SELECT id, title FROM areas')).map((row) => [row.title, row.id]),
  )
  const flows = new Map<string, { id: number; areaId: number }>()
  for (const { title, slug, area, notes, definition } of FLOWS) {
    const areaId = areas.get(area) as number
    const content = { title, notes, areaId, active: true, definition: flowDefinitionSchema.parse(definition) }
    const { id } = await insertFlow(tx, { ...COMMAND_LINE, name: 'Torvald Brekke' }, content, slug)
    flows.set(title, { id, areaId })
  }
  return flows
}

async function addNotices(tx: Tx, flows: ReadonlyMap<string, { id: number }>): Promise<void> {
  const sailing = await one<{ id: number }>(tx, `SELECT id FROM areas WHERE title = 'Sailing'`)
  const close = flows.get('Close of day') as { id: number }
  const check = await one<{ id: number }>(tx, `SELECT id FROM jobs WHERE title = 'Configuration check'`)
  for (const notice of noticesFor(sailing.id, close.id, check.id))
    await addNoticeIn(tx, { ...COMMAND_LINE, name: 'Torvald Brekke' }, notice)
}

/** Calendars and triggers, as designers made them before the past begins. */
async function addTiming(
  tx: Tx,
  jobs: Map<string, { id: number }>,
  flows: Map<string, { id: number }>,
): Promise<Map<string, number>> {
  const designer = { ...COMMAND_LINE, name: 'Torvald Brekke' }
  const contents = TRIGGERS.map(
    ({ title, job, isFlow, definition, with: values = {}, enabled = true, notes = '' }) => ({
      title,
      notes,
      jobId: ((isFlow ? flows : jobs).get(job) as { id: number }).id,
      enabled,
      definition: triggerDefinitionSchema.parse({ ...definition, with: values }),
      sure: true,
    }),
  )
  const ids = await insertTriggers(tx, designer, contents)
  const triggers = new Map(TRIGGERS.map(({ title }, i) => [title, ids[i] as number]))
  return triggers
}

/** What ran or waited when the past ends goes on in the present: the simulated machines begin it again. */
async function addOpenRuns(tx: Tx, { open, openFlows }: Past, triggers: Map<string, number>): Promise<void> {
  const titles = new Map(
    (
      await many<{ id: number; title: string }>(
        tx,
        `SELECT id, CASE WHEN is_flow THEN 'flow ' ELSE '' END || title AS title FROM jobs`,
      )
    ).map((row) => [row.title, row.id]),
  )
  const jobs = await workToStart(tx, [...titles.values()])
  const agents = new Map(
    (await many<{ id: number; name: string }>(tx, 'SELECT id, name FROM agents')).map((row) => [row.name, row.id]),
  )
  const all = [
    ...open.map((start) => ({ ...start, name: start.job.title })),
    ...openFlows.map((start) => ({ ...start, name: `flow ${start.flow.title}`, target: null })),
  ]
  const runs = all.flatMap(({ name, inputs, target, createdAtMs, trigger }): NewRun[] => {
    const found = jobs.get(titles.get(name) ?? 0)
    if (!found || !trigger) return []
    return [
      {
        work: found,
        inputs: { open: inputs, secrets: null },
        cause: 'trigger',
        starter: { id: null, name: trigger.title },
        createdAtMs,
        target,
        dueAtMs: trigger.dueAtMs,
        trigger: {
          id: triggers.get(trigger.title) as number,
          version: 1,
          calendarVersions: {},
          occurrence: { atMs: createdAtMs, day: trigger.day },
          forAgentId: trigger.forAgent === null ? null : (agents.get(trigger.forAgent) ?? null),
        },
      },
    ]
  })
  await insertRuns(tx, runs)
}

async function addHistory(
  tx: Tx,
  past: Past,
  {
    jobs,
    flows,
    people,
    triggers,
  }: {
    jobs: Map<string, { id: number; areaId: number }>
    flows: Map<string, { id: number; areaId: number }>
    people: Map<string, number>
    triggers: Map<string, number>
  },
  now: Date,
): Promise<void> {
  const agents = new Map(
    (await many<{ id: number; name: string }>(tx, 'SELECT id, name FROM agents')).map((row) => [row.name, row.id]),
  )
  const operators = ['Sunniva Dahl', 'Callum Eads']
  const at = (ms: number): Date => new Date(ms)
  const first = 9_000
  // A flow's run comes before those of its steps.
  const ordered = [
    ...past.flows.map((flow) => ({ flow, run: null, createdAtMs: flow.createdAtMs })),
    ...past.done.map((run) => ({ flow: null, run, createdAtMs: run.createdAtMs })),
  ].sort((a, b) => a.createdAtMs - b.createdAtMs || Number(a.run !== null) - Number(b.run !== null))
  const idOf = new Map<PastFlow, number>(ordered.flatMap(({ flow }, i) => (flow ? [[flow, first + i]] : [])))
  const plans = await keepPlans(
    tx,
    await presentPlans(
      tx,
      [...flows.values()].map(({ id }) => id),
    ),
  )
  const rows = ordered.map(({ flow, run }, i) => ({
    id: first + i,
    ...(flow ? flowRow(flow) : jobRow(run as PastRun, i)),
  }))

  function flowRow(flow: PastFlow) {
    const work = flows.get(flow.flow.title) as { id: number; areaId: number }
    const state = flow.run.state
    return {
      flow,
      run: null,
      work,
      target: null,
      kind: 'flow',
      inputs: flow.inputs,
      starter: null,
      state: state === 'running' ? 'succeeded' : state,
      priority: flow.flow.definition.priority ?? 'normal',
      slots: 0,
      attempts: 1,
      max: 1,
      createdAtMs: flow.createdAtMs,
      startedAtMs: flow.createdAtMs,
      endedAtMs: flow.endMs as number,
      agent: null,
      exit: null,
      reason: sayEnding(flow.plan, flow.run, flow.plan.steps.map(titleOfStep), null),
      trigger: flow.trigger,
      step: null,
      planId: plans.get(work.id) ?? null,
    }
  }

  function jobRow(run: PastRun, i: number) {
    const last = run.attempts.at(-1) as PastRun['attempts'][number]
    const exit = last.fails ? behaviourOf(run.job.title).failExit : 0
    return {
      flow: null,
      run,
      work: jobs.get(run.job.title) as { id: number; areaId: number },
      target: JSON.stringify(run.target),
      kind: run.job.definition.action.kind,
      inputs: run.inputs,
      starter: run.trigger || run.step ? null : (operators[i % 2] as string),
      state: last.fails ? 'failed' : 'succeeded',
      priority: run.job.definition.priority ?? 'normal',
      slots: run.job.definition.slots ?? 1,
      attempts: run.attempts.length,
      max: (run.job.definition.retries ?? 0) + 1,
      createdAtMs: run.createdAtMs,
      startedAtMs: run.attempts[0]?.startMs ?? 0,
      endedAtMs: last.endMs,
      agent: last.agent,
      exit,
      reason: last.fails ? `Exit code ${exit}; success is 0.` : 'Exit code 0.',
      trigger: run.trigger,
      step: run.step,
      planId: null,
    }
  }

  await execute(
    tx,
    `INSERT INTO runs (id, job_id, job_version, area_id, target, kind, inputs, cause, started_by, starter_name, state, version, priority, slots, attempts,
                       max_attempts, created_at, ready_at, started_at, ended_at, duration_ms, agent_id, exit_code, reason, trigger_id, trigger_version,
                       occurrence, occurrence_day, due_at, for_agent_id, cleared_at, flow_run_id, step, step_path, plan_id, flow_day)
     SELECT u.id, u.job, 1, u.area, u.target, u.kind, u.inputs,
            CASE WHEN u.flow_run IS NOT NULL THEN 'flow' WHEN u.trigger IS NULL THEN 'person' ELSE 'trigger' END, u.person, u.name, u.state, 3,
            u.priority, u.slots, u.attempts, u.max, u.created, u.created, u.started, u.ended, u.duration, u.agent, u.exit, u.reason, u.trigger,
            CASE WHEN u.trigger IS NULL THEN NULL ELSE 1 END, CASE WHEN u.trigger IS NULL THEN NULL ELSE u.created END, u.day, u.due, u.for_agent,
            CASE WHEN u.ended < now() - interval '1 day' THEN u.ended + interval '1 day' END, u.flow_run, u.step, u.step_path, u.plan,
            CASE WHEN u.plan IS NOT NULL THEN u.day END
       FROM unnest($1::bigint[], $2::bigint[], $3::bigint[], $4::jsonb[], $5::text[], $6::jsonb[], $7::bigint[], $8::text[], $9::text[], $10::int[],
                   $11::int[], $12::int[], $13::int[], $14::timestamptz[], $15::timestamptz[], $16::timestamptz[], $17::bigint[], $18::bigint[],
                   $19::int[], $20::text[], $21::bigint[], $22::date[], $23::timestamptz[], $24::bigint[], $25::bigint[], $26::int[], $27::text[], $28::bigint[])
         AS u(id, job, area, target, kind, inputs, person, name, state, priority, slots, attempts, max, created, started, ended, duration, agent, exit, reason,
              trigger, day, due, for_agent, flow_run, step, step_path, plan)`,
    [
      rows.map((r) => r.id),
      rows.map((r) => r.work.id),
      rows.map((r) => r.work.areaId),
      rows.map((r) => r.target),
      rows.map((r) => r.kind),
      rows.map((r) => JSON.stringify(r.inputs)),
      rows.map((r) => (r.starter === null ? null : people.get(r.starter))),
      rows.map((r) => r.trigger?.title ?? r.step?.flow.trigger.title ?? r.starter ?? ''),
      rows.map((r) => r.state),
      rows.map((r) => PRIORITIES.indexOf(r.priority)),
      rows.map((r) => r.slots),
      rows.map((r) => r.attempts),
      rows.map((r) => r.max),
      rows.map((r) => at(r.createdAtMs)),
      rows.map((r) => at(r.startedAtMs)),
      rows.map((r) => at(r.endedAtMs)),
      rows.map((r) => r.endedAtMs - r.startedAtMs),
      rows.map((r) => (r.agent === null ? null : agents.get(r.agent))),
      rows.map((r) => r.exit),
      rows.map((r) => r.reason),
      rows.map((r) => (r.trigger ? triggers.get(r.trigger.title) : null)),
      rows.map((r) => r.trigger?.day ?? null),
      rows.map((r) => (r.trigger?.dueAtMs ? at(r.trigger.dueAtMs) : null)),
      rows.map((r) => (r.trigger?.forAgent ? agents.get(r.trigger.forAgent) : null)),
      rows.map((r) => (r.step ? idOf.get(r.step.flow) : null)),
      rows.map((r) => r.step?.index ?? null),
      rows.map((r) => r.step?.path ?? null),
      rows.map((r) => r.planId),
    ],
  )
  const stepRunOf = new Map(
    rows.flatMap(({ id, step }) => (step ? [[`${idOf.get(step.flow)} ${step.index}`, id]] : [])),
  )
  const places = past.flows.flatMap((flow) =>
    flow.plan.steps.map(({ index }) => ({
      flow,
      index,
      id: idOf.get(flow) as number,
      result: flow.run.result(index),
      time: flow.times.get(index),
    })),
  )
  await execute(
    tx,
    `INSERT INTO flow_steps (run_id, step, state, reason, tolerated, step_run_id, started_at, ended_at)
     SELECT * FROM unnest($1::bigint[], $2::int[], $3::text[], $4::text[], $5::bool[], $6::bigint[], $7::timestamptz[], $8::timestamptz[])`,
    [
      places.map((each) => each.id),
      places.map((each) => each.index),
      places.map((each) => each.result.state),
      places.map((each) => each.result.reason ?? null),
      places.map((each) => each.result.tolerated ?? false),
      places.map((each) => stepRunOf.get(`${each.id} ${each.index}`) ?? null),
      places.map((each) => (each.time && each.result.state !== 'skipped' ? at(each.time.startMs) : null)),
      places.map((each) => at(each.time?.endMs ?? each.flow.endMs ?? 0)),
    ],
  )
  await execute(tx, `SELECT setval('runs_id_seq', $1)`, [first + rows.length + 100])
  const attempts = rows.flatMap((r) =>
    (r.run?.attempts ?? []).map((t, i) => ({
      r,
      run: r.run as PastRun,
      t,
      number: i + 1,
      withOutput: t.fails || t.endMs > now.getTime() - OUTPUT_DAYS * 86_400_000,
    })),
  )
  const made = await many<{ id: number }>(
    tx,
    `INSERT INTO attempts (run_id, number, agent_id, state, lease_until, handed_at, started_at, ended_at, exit_code, reason, what_ran, output_lines,
                           output_purged, telling_line)
     SELECT u.run, u.number, u.agent, u.state, u.ended, u.started, u.started, u.ended, u.exit, u.reason, u.ran, u.lines, u.purged, u.telling
       FROM unnest($1::bigint[], $2::int[], $3::bigint[], $4::text[], $5::timestamptz[], $6::timestamptz[], $7::int[], $8::text[], $9::jsonb[],
                   $10::int[], $11::bool[], $12::text[])
         AS u(run, number, agent, state, started, ended, exit, reason, ran, lines, purged, telling)
     RETURNING id`,
    [
      attempts.map((x) => x.r.id),
      attempts.map((x) => x.number),
      attempts.map((x) => agents.get(x.t.agent)),
      attempts.map((x) => (x.t.fails ? 'failed' : 'succeeded')),
      attempts.map((x) => at(x.t.startMs)),
      attempts.map((x) => at(x.t.endMs)),
      attempts.map((x) => (x.t.fails ? behaviourOf(x.run.job.title).failExit : 0)),
      attempts.map((x) => (x.t.fails ? x.r.reason : 'Exit code 0.')),
      attempts.map((x) => JSON.stringify(whatRan(x.run))),
      attempts.map((x) => x.t.lines.length),
      attempts.map((x) => !x.withOutput),
      attempts.map((x) => x.t.lines.at(-1)?.text ?? ''),
    ],
  )
  const withOutput = attempts
    .map((x, i) => ({ ...x, id: made[i]?.id as number }))
    .filter((x) => x.withOutput && x.t.lines.length > 0)
  await execute(
    tx,
    'INSERT INTO output_chunks SELECT u.id, 1, u.count, u.lines FROM unnest($1::bigint[], $2::int[], $3::jsonb[]) AS u(id, count, lines)',
    [
      withOutput.map((x) => x.id),
      withOutput.map((x) => x.t.lines.length),
      withOutput.map((x) => JSON.stringify(x.t.lines.map((line) => [line.atMs, line.stream, line.text]))),
    ],
  )
}

async function addLeftOut(tx: Tx, leftOut: Past['leftOut'], triggers: Map<string, number>): Promise<void> {
  for (const { trigger, atMs, forAgent, otherAtMs } of leftOut)
    await execute(
      tx,
      `INSERT INTO not_started (trigger_id, trigger_version, first_occurrence, last_occurrence, times, why, detail, run_id, at)
       SELECT $1, 1, $2, $2, 1, 'overlap', '#' || r.id || ' had not ended.', r.id, $2
         FROM runs r LEFT JOIN agents a ON a.name = $4
        WHERE r.trigger_id = $1 AND r.occurrence = $3 AND r.for_agent_id IS NOT DISTINCT FROM a.id`,
      [triggers.get(trigger), new Date(atMs), new Date(otherAtMs), forAgent],
    )
}

function whatRan(run: PastRun): object {
  const { action } = run.job.definition
  const argv = action.kind === 'command' ? ['sh', '-c', action.command] : [action.kind]
  return {
    argv,
    environment: run.inputs,
    folder: '/srv/marram',
    user: 'svc-marram',
    pid: 1000 + (run.createdAtMs % 30_000),
    agentVersion: '1.0.0',
  }
}

/** What a person finds on the list when the demo opens: the newest failures of the last hours, one of them taken. */
async function openDemoMatters(): Promise<void> {
  await execute(
    null,
    `INSERT INTO matters (kind, subject, run_id, agent_id, step_run_id, evidence, opened_at, last_at)
     SELECT 'run-failed', 'job ' || x.job_id, x.id, x.agent_id, nullif(x.step_run, x.id), x.telling, x.ended_at, x.ended_at FROM (
       SELECT DISTINCT ON (r.job_id) r.id, r.job_id, j.title, w.agent_id, r.ended_at, w.id AS step_run, a.telling_line AS telling
         FROM runs r JOIN jobs j ON j.id = r.job_id
         -- Of a flow the step that failed first tells what was wrong.
         CROSS JOIN LATERAL (SELECT x.id, x.agent_id, x.attempts FROM runs x WHERE (x.id = r.id AND r.kind <> 'flow') OR (x.flow_run_id = r.id AND x.state = 'failed')
                              ORDER BY x.ended_at LIMIT 1) w
         JOIN attempts a ON a.run_id = w.id AND a.number = w.attempts
        WHERE r.state = 'failed' AND r.flow_run_id IS NULL AND r.ended_at > now() - interval '36 hours' AND a.telling_line NOT LIKE '%no space left%' ORDER BY r.job_id, r.id DESC) x
      ORDER BY x.title = 'Largest tables' DESC, x.ended_at DESC LIMIT 4`,
  )
  await execute(
    null,
    `UPDATE matters SET state = 'taken', taken_by = 'Sunniva Dahl', taken_at = last_at + interval '6 minutes', note = 'Called the harbour, the file comes later.'
      WHERE id = (SELECT id FROM matters WHERE kind = 'run-failed' ORDER BY last_at DESC LIMIT 1)`,
  )
}
