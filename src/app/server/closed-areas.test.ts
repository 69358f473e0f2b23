import { ADMIN, freshDatabase } from '@/store/database.test-help'
import { execute, many, one, transaction } from '@/store/db'
import { ended, lease, makeAgent, output, report, started } from '@/service/fixtures.test-help'
import { notify } from '@/store/listen'
import { changePerson, insertPerson } from '@/service/people/people'
import { signInAsDemoPerson } from '@/service/entry/sign-in'
import { whoHasSession } from '@/service/people/sessions'
import { jobDefinitionSchema, type JobDefinition } from '@/core/work/job'
import { flowDefinitionSchema } from '@/core/work/flow'
import { triggerDefinitionSchema } from '@/core/work/trigger'
import { advance } from '@/service/flows/flow.test-help'
import { makeStanding } from '@/service/forecast/standing'
import { startRun, startSchema } from '@/service/runs/start'
import { seenBy } from '@/service/base/actor'
import { listDrifts } from '@/service/forecast/drifts'
import { removeCalendar } from '@/service/timing/calendars'
import { makeCalendar } from '@/service/timing/timing.test-help'
import { addSharedValue, changeSharedValue, removeSharedValue } from '@/service/work/shared-values'
import { addTrigger, oneTrigger, saveTrigger } from '@/service/timing/triggers'
import { addArea, saveArea } from '@/service/work/areas'
import { addFlow } from '@/service/work/flows'
import { addJob, insertJob, oneJob, saveJob } from '@/service/work/work'
import { Problem } from '@/service/base/problem'
import { ENDPOINTS } from '@/app/endpoints'
import { EXPORT_NAMES } from '@/service/exports/exports'
import type { Endpoint } from './endpoint'
import { liveStream, stopLive } from './live'
import { differentQuestions } from './questions.test-help'

freshDatabase()

/** Stands in the title and notes of everything that lies in the closed area, and in what its runs print. */
const MARK = 'zzhidden'
const hidden: Record<string, number> = {}
const tokens: Record<string, string> = {}

const commandOf = (text: string): JobDefinition =>
  jobDefinitionSchema.parse({
    action: { kind: 'command', command: `echo ${text}` },
    target: { agent: 'a1' },
    retries: 0,
  })

/** A closed area with one of everything, and an open one. People: a viewer and a designer who are members of neither, and one whose role is none and who may see the open one. */
beforeAll(async () => {
  for (const role of ['viewer', 'designer', 'none', 'administrator'] as const) {
    const { id } = await transaction((tx) =>
      insertPerson(tx, ADMIN, {
        email: `${role}@marram.example`,
        name: role,
        role,
        passwordHash: null,
        isDemo: true,
      }),
    )
    hidden[role] = id
    tokens[role] = await signInAsDemoPerson(id, { address: 'x', userAgent: '' })
  }
  const open = (await addArea(ADMIN, { title: 'Quay' })).id
  const closed = (await addArea(ADMIN, { title: `${MARK} desk`, notes: MARK })).id
  await saveArea(ADMIN, open, {
    title: 'Quay',
    notes: '',
    parentId: null,
    closed: false,
    members: [{ personId: hidden.none as number, may: 'see' }],
    version: 1,
  })
  await saveArea(ADMIN, closed, {
    title: `${MARK} desk`,
    notes: MARK,
    parentId: null,
    closed: true,
    members: [],
    version: 1,
  })
  const agent = await makeAgent('a1', 20)
  const job = async (title: string, areaId: number): Promise<number> =>
    (
      await addJob(ADMIN, {
        title,
        notes: title,
        areaId,
        active: true,
        definition: jobDefinitionSchema.parse({
          action: { kind: 'command', command: `echo ${title}` },
          target: { agent: 'a1' },
          retries: 0,
        }),
      })
    ).id
  const secret = await job(`${MARK} refunds`, closed)
  const plain = await job('Count the gulls', open)
  const slugOf = async (id: number): Promise<string> =>
    (await one<{ slug: string }>(null, 'SELECT slug FROM jobs WHERE id = $1', [id])).slug
  // The flow shows the name that it has for it, and nothing of the job.
  const step = await transaction(async (tx) => {
    const { id } = await insertJob(
      tx,
      ADMIN,
      { title: `${MARK} payout`, notes: MARK, areaId: closed, active: true, definition: commandOf(MARK) },
      'payout',
    )
    return id
  })
  const flow = async (title: string, areaId: number, step: number, name: string): Promise<number> =>
    (
      await addFlow(ADMIN, {
        title,
        notes: title,
        areaId,
        active: true,
        definition: flowDefinitionSchema.parse({ steps: [{ id: name, job: await slugOf(step) }] }),
      })
    ).id
  const flowId = await flow(`${MARK} evening`, closed, secret, `${MARK}-step`)
  // A flow that everybody may see, one step of which is a job that they may not.
  const mixed = await flow('Close the day', open, step, 'refund')
  const definition = triggerDefinitionSchema.parse({
    time: { cron: '*/20 * * * *' },
    zone: 'Europe/London',
    finishBy: '23:59',
  })
  const trigger = async (title: string, jobId: number): Promise<number> =>
    (await addTrigger(ADMIN, { title, notes: '', jobId, enabled: true, definition, sure: true })).id
  const triggerId = await trigger(`${MARK} tick`, secret)
  await trigger('Gulls tick', plain)
  const run = async (jobId: number, exitCode: number, text: string): Promise<number> => {
    const { id } = await startRun(ADMIN, startSchema.parse({ jobId }))
    const held = await lease(id, agent)
    await report(agent, held, 1, started, output(text), ended(exitCode))
    return id
  }
  const runId = await run(secret, 3, `${MARK} output`)
  await run(plain, 0, 'two gulls')
  const going = (await startRun(ADMIN, startSchema.parse({ jobId: secret }))).id
  await lease(going, agent)
  for (const id of [flowId, mixed])
    hidden[`run of ${id}`] = (await startRun(ADMIN, startSchema.parse({ jobId: id }))).id
  await advance()
  await execute(null, "UPDATE runs SET trigger_id = $2, due_at = now() - interval '1 hour' WHERE id = $1", [
    runId,
    triggerId,
  ])
  await execute(
    null,
    `INSERT INTO not_started (trigger_id, trigger_version, first_occurrence, last_occurrence, times, why, detail) VALUES ($1, 1, now(), now(), 1, 'overlap', $2)`,
    [triggerId, MARK],
  )
  await execute(
    null,
    `INSERT INTO matters (kind, subject, title, evidence) VALUES ('trouble', 'trigger ' || $1::bigint, $2, $2), ('deadline-at-risk', 'trigger ' || $1::bigint || ' x', $2, $2)`,
    [triggerId, MARK],
  )
  await execute(
    null,
    `INSERT INTO notices (title, area_id, events, action, changed_by) VALUES ($2, $1, '{failed}', '{"kind":"mail","server":"x","to":["a@b.example"],"subject":"s","body":"b"}', 'x')`,
    [closed, MARK],
  )
  const notice = (await one<{ id: number }>(null, 'SELECT id FROM notices')).id
  await execute(null, `INSERT INTO notice_sends (notice_id, run_id, event, what) VALUES ($1, $2, 'failed', $3)`, [
    notice,
    runId,
    MARK,
  ])
  const slug = `${MARK}-tick`
  await execute(
    null,
    `INSERT INTO proposals (made_by, from_at, hours, answer, taken, taken_by, taken_at) VALUES ('x', now(), 1, $1, $2, 'x', now())`,
    [
      JSON.stringify({ moves: [{ trigger: slug, from: '01:00', to: '02:00', minutes: 60, reason: '' }] }),
      JSON.stringify([{ trigger: slug, id: triggerId, version: 1, before: definition }]),
    ],
  )
  await execute(null, `INSERT INTO variants (title, changes, made_by) VALUES ('v', $1, 'x')`, [
    JSON.stringify([{ off: { trigger: slug } }]),
  ])
  await execute(
    null,
    `INSERT INTO job_lengths (job_id, samples, fails, runs, drift, measured_at) VALUES ($1, '{60,60,60,60,60,60,60,60}', 0.1, 8, 1.0, now())`,
    [secret],
  )
  await makeStanding()
  const matter = (await one<{ id: number }>(null, 'SELECT id FROM matters WHERE run_id = $1', [runId])).id
  Object.assign(hidden, { closed, secret, flowId, triggerId, runId, going, notice, matter })
})

/** Ids under which something hidden stands, and the shown flow with a hidden step. */
const ids = (): number[] => [...new Set(Object.values(hidden))]

async function ask(
  endpoint: Endpoint,
  who: string,
  id: number,
  query: string,
  body?: unknown,
): Promise<Response | Problem> {
  const signedIn = await whoHasSession(tokens[who] as string, 'x')
  if (!signedIn) throw new Error(`${who} is not signed in`)
  const params = Object.fromEntries([...endpoint.path.matchAll(/:(\w+)/g)].map(([, name]) => [name, id]))
  if ('version' in params) params.version = 1
  const request = new Request(`http://bugle.test/api/v1${endpoint.path}${query}`, {
    method: endpoint.method,
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  })
  try {
    return await endpoint.answer({ ...signedIn, signedIn, params, request })
  } catch (error) {
    if (error instanceof Problem) return error
    throw new Error(`${endpoint.method} ${endpoint.path} ${query} as ${who}: ${String((error as Error).message)}`)
  }
}
const textOf = async (answer: Response | Problem): Promise<string> =>
  answer instanceof Problem ? JSON.stringify(answer) : answer.text().catch((error: unknown) => JSON.stringify(error))

const now = Date.now()
const day = (from: number): string => encodeURIComponent(new Date(now + from * 3_600_000).toISOString())
const QUERIES = [
  '',
  `?from=${day(-1)}&hours=12`,
  `?from=${day(-1)}&hours=12&samples=20`,
  `?from=${day(-1)}&to=${day(20)}`,
  `?text=${MARK}`,
  `?q=${MARK}`,
  '?hours=4',
  '?steps=yes',
  '?attempt=1',
  `?attempt=1&text=${MARK}`,
  '?starter=trigger',
  '?pool=&days=7',
]
const QUERIES_OF: Record<string, readonly string[]> = {
  '/changes': [`?from=${day(-1)}&to=${day(20)}`, `?from=${day(-1)}&to=${day(20)}&text=${MARK}`],
  '/shift-log': [`?from=${day(-1)}&to=${day(20)}`],
  '/measures/values': ['?queue=refunds&name=waiting'],
  '/exports': EXPORT_NAMES.flatMap((list) => [`?list=${list}&format=jsonl`, `?list=${list}&text=${MARK}`]),
}
const BODIES: Record<string, unknown> = {
  '/tuning/what-if': {
    from: new Date(now).toISOString(),
    hours: 6,
    samples: 0,
    changes: [],
  },
  '/tuning/search': { from: new Date(now).toISOString(), hours: 6 },
  '/tuning/backtest': { days: 7 },
}
/** The stream of changes goes on and on: it has a test of its own. */
/** What is asked by POST, as it is asked by the screens. */
const ASKED: Record<string, unknown> = {
  ...BODIES,
  '/runs/:id/steps/again/preview': { steps: ['refund'] },
  '/flows/gates': { day: '2027-03-09', rules: [{ weekdays: ['MO'] }] },
  '/triggers/preview': { jobId: 2, definition: { time: { at: ['06:00'] }, zone: 'Europe/London' } },
  '/triggers/try': {
    jobId: 2,
    definition: { after: { work: 'refund' }, zone: 'Europe/London' },
    event: { state: 'succeeded' },
  },
  '/calendars/preview': { id: 1, rule: { weekdays: ['MO'] } },
  '/crontab/read': { text: '0 1 * * * true' },
  '/calendars/read-ics': { text: 'BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\nEND:VCALENDAR\r\n' },
}
const reads = ENDPOINTS.filter(({ method, reads: isRead, path }) => (method === 'GET' || isRead) && path !== '/live')

describe('whoever is no member of a closed area', () => {
  it.each(reads.map((endpoint) => [endpoint.method, endpoint.path, endpoint] as const))(
    '%s %s shows nothing of it',
    async (method, path, endpoint) => {
      for (const who of ['viewer', 'designer', 'none'])
        for (const id of path.includes(':') ? ids() : [1])
          for (const query of differentQuestions(endpoint, QUERIES_OF[path] ?? QUERIES)) {
            const answer = await ask(endpoint, who, id, query, method === 'GET' ? undefined : (ASKED[path] ?? {}))
            const text = (await textOf(answer)).replaceAll(`no ${MARK}`, '')
            // What was asked for may come back in what is wrong with it.
            const echoed = answer instanceof Problem && answer.code === 'invalid-input'
            if (!echoed && text.includes(MARK))
              throw new Error(`${method} ${path}${query} ${id} as ${who}: ${text.slice(0, 2000)}`)
          }
    },
    60_000,
  )

  it('is answered what is asked by POST of what is theirs, though nothing can be locked there', async () => {
    const quay = await one<{ id: number }>(null, `SELECT id FROM jobs WHERE title = 'Close the day'`)
    const { id: calendar } = await makeCalendar('quiet', { weekdays: ['SU'] })
    const ofPath = (path: string): number =>
      path.startsWith('/runs') ? (hidden[`run of ${quay.id}`] as number) : calendar
    const answers = []
    for (const endpoint of reads.filter(({ method, path }) => method === 'POST' && path !== '/areas/:id/preview')) {
      const { path } = endpoint
      const body =
        path === '/calendars/preview' ? { id: calendar, rule: { weekdays: ['MO'] } } : (ASKED[path] ?? 'not asked here')
      const answer = await ask(endpoint, 'designer', ofPath(path), '', body)
      answers.push(`${path}: ${answer instanceof Problem ? `${answer.code} ${answer.detail}` : answer.status}`)
    }
    expect(answers.filter((each) => !each.endsWith(': 200'))).toEqual([])
    expect(answers.length).toBeGreaterThan(7)
  })

  it('is counted nothing of it', async () => {
    const at = (path: string): Endpoint => reads.find((each) => each.path === path) as Endpoint
    const answered = async (path: string, who: string, query = ''): Promise<unknown> =>
      JSON.parse(await textOf(await ask(at(path), who, 1, query)))
    for (const who of ['viewer', 'none']) {
      expect(await answered('/runs/counts', who)).toMatchObject({ running: 1, failed: 0, succeeded: 1 })
      expect(await answered('/matters', who)).toEqual([])
      expect(await answered('/jobs', who)).toHaveLength(2)
    }
  })

  const changing = ENDPOINTS.filter((endpoint) => endpoint.method !== 'GET' && !endpoint.reads && !endpoint.own)
  it.each(
    changing
      .filter((endpoint) => /^\/(runs|jobs|flows|triggers|matters|areas)\b.*:id/.test(endpoint.path))
      .map((endpoint) => [endpoint.method, endpoint.path, endpoint] as const),
  )('%s %s does nothing there, and says that it is not there', async (_method, path, endpoint) => {
    const kind = path.split('/')[1] as string
    const id = {
      runs: hidden.going,
      jobs: hidden.secret,
      flows: hidden.flowId,
      triggers: hidden.triggerId,
      matters: hidden.matter,
      areas: hidden.closed,
    }[kind]
    const before = await many(null, 'SELECT count(*)::int AS n FROM audit')
    // Nothing but who asks and what of: what is asked for is looked at only after that.
    const me = (await whoHasSession(tokens.designer as string, 'x'))?.actor
    const body = {
      jobId: 1,
      areaId: 1,
      members: [],
      version: 1,
      step: 'x',
      steps: ['x'],
      definition: {},
      title: 'x',
      why: 'x',
      as: 'failed',
      inputs: {},
      requestKey: null,
      note: '',
    }
    await expect(endpoint.serve({ actor: me, params: { id }, body, query: {} } as never)).rejects.toMatchObject({
      code: endpoint.right === 'administer' ? (expect.stringMatching(/not-found|not-allowed/) as string) : 'not-found',
    })
    expect(await many(null, 'SELECT count(*)::int AS n FROM audit')).toEqual(before)
  })

  it('cannot start it, put it into a flow or under a trigger, or move something into it', async () => {
    const me = (await whoHasSession(tokens.designer as string, 'x'))?.actor
    if (!me) throw new Error('not signed in')
    const definition = triggerDefinitionSchema.parse({ time: { at: ['01:00'] }, zone: 'Europe/London' })
    await expect(startRun(me, startSchema.parse({ jobId: hidden.secret }))).rejects.toMatchObject({ code: 'not-found' })
    await expect(
      addTrigger(me, { title: 'x', notes: '', jobId: hidden.secret as number, enabled: true, definition, sure: true }),
    ).rejects.toMatchObject({ code: 'not-found' })
    const { slug } = await one<{ slug: string }>(null, 'SELECT slug FROM jobs WHERE id = $1', [hidden.secret])
    const steps = flowDefinitionSchema.parse({ steps: [{ id: 'x', job: slug }] })
    const quay = await one<{ id: number }>(null, `SELECT id FROM areas WHERE title = 'Quay'`)
    await expect(
      addFlow(me, { title: 'Mine', notes: '', areaId: quay.id, active: true, definition: steps }),
    ).rejects.toMatchObject({ code: 'invalid-input', detail: `There is no job ${slug} here.` })
    const job = {
      title: 'x',
      notes: '',
      active: true,
      definition: jobDefinitionSchema.parse({ action: { kind: 'command', command: 'true' }, target: { agent: 'a1' } }),
    }
    await expect(addJob(me, { ...job, areaId: hidden.closed as number })).rejects.toMatchObject({ code: 'not-found' })
  })
})

describe('what is said where a change is refused', () => {
  it('names nothing of it', async () => {
    const me = (await whoHasSession(tokens.designer as string, 'x'))?.actor
    if (!me) throw new Error('not signed in')
    const calendar = await makeCalendar('tides', { weekdays: ['MO'] })
    const { id: valueId } = await addSharedValue(ADMIN, { name: 'berth', title: 'Berth', isSecret: false, value: '7' })
    const { definition, title, notes, areaId, active, version } = await oneJob(ADMIN, hidden.secret as number)
    const inputs = [{ name: 'berth', title: `${MARK} berth`, type: 'number', default: { shared: 'berth' }, ask: false }]
    await saveJob(ADMIN, hidden.secret as number, {
      title,
      notes,
      areaId,
      active,
      version,
      definition: jobDefinitionSchema.parse({ ...definition, inputs }),
    })
    await changeTrigger(calendar.slug)
    const gone = async (work: Promise<unknown>): Promise<string> =>
      work.then(
        () => 'done',
        (error: Problem) => error.detail,
      )
    const said = [
      await gone(removeCalendar(me, calendar.id)),
      await gone(removeSharedValue(me, valueId)),
      await gone(changeSharedValue(me, valueId, { title: 'Berth', value: 'seven' })),
    ]
    for (const each of said) {
      expect(each).toContain('something that you may not see')
      expect(each).not.toContain(MARK)
    }
  })

  async function changeTrigger(slug: string): Promise<void> {
    const trigger = await oneTrigger(ADMIN, hidden.triggerId as number)
    const { id, title, notes, jobId, enabled, version } = trigger
    await saveTrigger(ADMIN, id, {
      title,
      notes,
      jobId,
      enabled,
      version,
      definition: { ...trigger.definition, on: { calendar: slug } },
      sure: true,
    })
  }
})

describe('what is kept for all', () => {
  it('is cut for each: who asks first neither shows nor hides anything to others', async () => {
    await execute(
      null,
      `INSERT INTO runs (job_id, job_version, area_id, kind, cause, state, priority, created_at, started_at, ended_at, duration_ms)
       SELECT j.id, 1, j.area_id, 'command', 'trigger', 'succeeded', 2, t, t, t + make_interval(secs => d), d * 1000
         FROM jobs j, generate_series(1, 50) AS n, LATERAL (SELECT now() - make_interval(days => 51 - n) AS t, 60 + 12 * n AS d) x
        WHERE NOT j.is_flow`,
    )
    const viewer = (await whoHasSession(tokens.viewer as string, 'x'))?.actor
    if (!viewer) throw new Error('not signed in')
    const seen = async (who: typeof viewer | typeof ADMIN, later: number): Promise<number> =>
      (await seenBy(who, () => listDrifts(who, Date.now() + later))).length
    expect([await seen(viewer, 1e7), await seen(ADMIN, 1e7)]).toEqual([1, 3])
    expect([await seen(ADMIN, 2e7), await seen(viewer, 2e7)]).toEqual([3, 1])
  })
})

describe('the stream of changes', () => {
  const leaving = new AbortController()
  afterAll(() => {
    leaving.abort()
    return stopLive()
  })

  /** Everything that a person hears until a text stands in it, or the stream ends. */
  async function hear(who: string): Promise<{ until: (text: string) => Promise<string>; end: Promise<void> }> {
    const signedIn = await whoHasSession(tokens[who] as string, 'x')
    if (!signedIn) throw new Error('not signed in')
    const request = new Request('http://bugle.test/api/v1/live', {
      headers: { cookie: `bugle_session=${tokens[who]}` },
      signal: leaving.signal,
    })
    const body = (await liveStream(request, signedIn.actor)).body as ReadableStream<Uint8Array>
    const reader = body.getReader()
    let heard = ''
    let woken: () => void = () => undefined
    const end = (async () => {
      for (;;) {
        const { done, value } = await reader.read()
        if (done) return
        heard += new TextDecoder().decode(value)
        woken()
      }
    })()
    const until = async (text: string): Promise<string> => {
      while (!heard.includes(text)) await new Promise<void>((resolve) => (woken = resolve))
      return heard
    }
    return { until, end }
  }
  const tell = (change: Parameters<typeof notify>[1]): Promise<void> => transaction((tx) => notify(tx, change))

  /** Tells of these runs again and again until something has come of it. */
  async function meanwhile<T>(runs: readonly number[], work: Promise<T>): Promise<T> {
    const asking = setInterval(() => void tell({ runs }), 100)
    return work.finally(() => clearInterval(asking))
  }

  it('names no run of it, and ends at once with its person', async () => {
    const [viewer, member] = [await hear('viewer'), await hear('none')]
    const plain = (
      await one<{ id: number }>(
        null,
        `SELECT r.id FROM runs r JOIN jobs j ON j.id = r.job_id WHERE j.title = 'Count the gulls'`,
      )
    ).id
    // The listening connection is up once something has come through.
    const heard = await meanwhile([hidden.runId as number, plain], viewer.until(`"runs":[${plain}]`))
    expect(heard).not.toMatch(new RegExp(`\\b${hidden.runId}\\b`))
    const unhandled: unknown[] = []
    const note = (error: unknown): void => void unhandled.push(error)
    process.on('unhandledRejection', note)
    const other = await hear('designer')
    // Two changes at the same moment are two looks at once: the stream ends once.
    await transaction(async (tx) => {
      await execute(tx, 'DELETE FROM sessions WHERE person_id = $1', [hidden.designer])
      await notify(tx, { people: true })
      await notify(tx, { people: true, jobs: true })
    })
    await other.end
    await changePerson(ADMIN, hidden.none as number, { active: false })
    await member.end
    await new Promise((resolve) => setTimeout(resolve, 200))
    process.off('unhandledRejection', note)
    expect(unhandled).toEqual([])
    // A member hears of it.
    await execute(null, `INSERT INTO grants (area_id, person_id, may) VALUES ($1, $2, 'see')`, [
      hidden.closed,
      hidden.viewer,
    ])
    await tell({ people: true })
    await meanwhile([hidden.runId as number], viewer.until(`"runs":[${hidden.runId}]`))
  })
})
