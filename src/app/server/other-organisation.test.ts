import { randomUUID } from 'node:crypto'
import { ENDPOINTS } from '@/app/endpoints'
import { loadDemo } from '@/demo/load'
import { Gateway } from '@/engine/gateway'
import { eventually, freePort, hello, Line, report } from '@/engine/line.test-help'
import { Reception } from '@/engine/reception'
import { Sink } from '@/engine/sink'
import { Workplaces } from '@/engine/workplaces'
import { COMMAND_LINE, type Actor } from '@/service/base/actor'
import { Problem } from '@/service/base/problem'
import { hashToken, newToken, withToken } from '@/service/base/secrets'
import { lease, makeAgent, makeJob, started, stateOf } from '@/service/fixtures.test-help'
import { addEnrolmentKey } from '@/service/fleet/enrol'
import { changeOrganisation, makeOrganisation } from '@/service/organisations/organisations'
import { whoHasSession } from '@/service/people/sessions'
import { setUpFirstAdministrator } from '@/service/entry/set-up'
import { startRun, startSchema } from '@/service/runs/start'
import { ADMIN, freshDatabase } from '@/store/database.test-help'
import { execute, many, one } from '@/store/db'
import { notify } from '@/store/listen'
import { FIRST, inOrganisation } from '@/store/organisation'
import { identify } from './endpoint'
import { liveStream, stopLive } from './live'
import { differentQuestions } from './questions.test-help'

freshDatabase()

/** All of the demo lies in the first organisation; whoever asks here is the administrator of the second, in which there is nothing. */
let yard: number
let token: string
let me: Actor
/** What the demo calls things, and numbers of what is there: the first three stand in both. */
let words: string[]
const numbers: number[] = [1, 2, 3]

beforeAll(async () => {
  await loadDemo(new Date())
  const made = await makeOrganisation(COMMAND_LINE, { title: 'Stavin Yard' })
  yard = made.id
  token = await withToken(made.code, () =>
    setUpFirstAdministrator(
      { code: made.code, name: 'Bram', email: 'bram@yard.example', password: 'eleven vessels in the rain' },
      { address: 'x', userAgent: '' },
    ),
  )
  const signedIn = await withToken(token, () => whoHasSession(token, 'x'))
  me = signedIn?.actor as Actor
  const titles = await many<{ word: string }>(
    null,
    `SELECT title AS word FROM jobs UNION SELECT title FROM triggers UNION SELECT path FROM areas UNION SELECT name FROM people UNION SELECT name FROM agents
      UNION SELECT title FROM calendars UNION SELECT title FROM pools UNION SELECT title FROM notices UNION SELECT name FROM mail_servers WHERE length(name) > 5`,
  )
  // Words that Bugle itself says, too, tell nothing.
  words = titles.map(({ word }) => word).filter((word) => word.length > 7)
  for (const table of [
    'runs',
    'jobs',
    'triggers',
    'areas',
    'people',
    'agents',
    'calendars',
    'pools',
    'matters',
    'notices',
  ])
    numbers.push((await one<{ id: number }>(null, `SELECT coalesce(max(id), 1) AS id FROM ${table}`)).id)
  // The whole demo is loaded.
}, 300_000)

const reads = ENDPOINTS.filter(({ method, reads: isRead, path }) => (method === 'GET' || isRead) && path !== '/live')

async function ask(method: string, path: string, id: number, query = '', body?: unknown): Promise<Response | Problem> {
  const endpoint = ENDPOINTS.find((each) => each.method === method && each.path === path)
  if (!endpoint) throw new Error(`no ${method} ${path}`)
  const params = Object.fromEntries([...path.matchAll(/:(\w+)/g)].map(([, name]) => [name, id]))
  const request = new Request(`http://bugle.test/api/v1${path}${query}`, {
    method,
    headers: { authorization: `Bearer ${token}` },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  })
  return withToken(token, async () => {
    const signedIn = await whoHasSession(token, 'x')
    if (!signedIn) throw new Error('not signed in')
    try {
      // A body that is made as it is read, is read outside of everything.
      return await endpoint.answer({ ...signedIn, signedIn, params, request })
    } catch (error) {
      if (error instanceof Problem) return error
      throw new Error(`${method} ${path}${query} ${id}: ${String((error as Error).message)}`)
    }
  })
}
const textOf = async (answer: Response | Problem): Promise<string> =>
  answer instanceof Problem ? JSON.stringify(answer) : answer.text()

describe('whoever is of another organisation', () => {
  it.each(reads.map((endpoint) => [endpoint.method, endpoint.path, endpoint] as const))(
    '%s %s shows nothing of it',
    async (method, path, endpoint) => {
      const now = Date.now()
      const at = (hours: number): string => encodeURIComponent(new Date(now + hours * 3_600_000).toISOString())
      const queries = [
        '',
        `?from=${at(-24)}&hours=48`,
        `?from=${at(-24)}&to=${at(24)}`,
        '?text=Till',
        '?q=Till',
        '?hours=24',
      ]
      for (const id of path.includes(':') ? new Set(numbers) : [1])
        for (const query of differentQuestions(endpoint, queries)) {
          const text = await textOf(await ask(method, path, id, query, method === 'GET' ? undefined : {}))
          const found = words.filter((word) => text.includes(word))
          if (found.length > 0)
            throw new Error(`${method} ${path}${query} ${id} names ${found.join(', ')}: ${text.slice(0, 500)}`)
        }
    },
  )

  it('counts nothing of it', async () => {
    const json = async (path: string): Promise<unknown> =>
      JSON.parse(await textOf(await ask('GET', path, 1))) as unknown
    for (const path of ['/jobs', '/agents', '/matters', '/calendars', '/groups', '/notices'])
      expect([path, await json(path)]).toEqual([path, []])
    expect(Object.values((await json('/runs/counts')) as Record<string, number>).filter((n) => n > 0)).toEqual([])
    expect(await json('/people')).toHaveLength(1)
  })

  const changing = ENDPOINTS.filter(
    ({ method, path, reads: isRead }) =>
      method !== 'GET' &&
      !isRead &&
      /^\/(runs|jobs|flows|triggers|matters|areas|agents|pools|calendars|people|groups|notices|locks|accounts)\/:id/.test(
        path,
      ),
  )
  it.each(changing.map(({ method, path }) => [method, path] as const))(
    '%s %s changes nothing of it',
    async (method, path) => {
      const before = await one(null, `SELECT md5(string_agg(t::text, '' ORDER BY t.id)) AS is FROM audit t`)
      for (const id of new Set(numbers.filter((each) => each > 3))) {
        const answer = await ask(method, path, id, '', {})
        if (!(answer instanceof Problem)) expect([path, id, answer.status]).toEqual([path, id, 404])
      }
      expect(await one(null, `SELECT md5(string_agg(t::text, '' ORDER BY t.id)) AS is FROM audit t`)).toEqual(before)
    },
  )

  it('hears nothing of it on the stream of changes', async () => {
    const leaving = new AbortController()
    const request = new Request('http://bugle.test/api/v1/live', {
      headers: { cookie: `bugle_session=${token}` },
      signal: leaving.signal,
    })
    expect((await identify(request))?.actor.name).toBe('Bram')
    const stream = await inOrganisation(yard, () => liveStream(request, me))
    const reader = stream.body?.getReader() as ReadableStreamDefaultReader<Uint8Array>
    let text = ''
    const until = async (word: string): Promise<void> => {
      while (!text.includes(word)) text += new TextDecoder().decode((await reader.read()).value)
    }
    await until('retry')
    // The listening connection is there once it hears its own.
    const telling = setInterval(() => void inOrganisation(yard, () => notify(null, { runs: [4711] })), 50)
    await until('4711')
    clearInterval(telling)
    text = ''
    await notify(null, { runs: [815], fleet: true })
    await inOrganisation(yard, () => notify(null, { runs: [4712] }))
    await until('4712')
    expect(text).not.toContain('815')
    leaving.abort()
    await stopLive()
  })

  it('enrols by its own key, and gets a calendar by its own address', async () => {
    const { key } = await inOrganisation(yard, () =>
      addEnrolmentKey(ADMIN, { uses: 1, minutes: 5, slots: 1, labels: {}, poolIds: [], robots: [] }),
    )
    expect(key).toMatch(/^bgk2_/)
    // Of an organisation that is not there it is a key that nobody made.
    expect(await withToken(key.replace('bgk2_', 'bgk77_'), async () => 'asked')).toBe('asked')
  })
})

describe('agents of two organisations at one gateway', () => {
  it('are led to their own; what one says of the other’s attempts concerns nobody there', async () => {
    const sinks = new Map([FIRST, yard].map((id) => [id, inOrganisation(id, () => new Sink())]))
    const gateways = new Map(
      [...sinks].map(([id, sink]) => [id, inOrganisation(id, () => new Gateway(randomUUID(), sink, 30))]),
    )
    const reception = new Reception((id) => gateways.get(id))
    const port = await freePort()
    await reception.listen(port, '127.0.0.1')
    const begin = (id: number): Promise<{ line: Line; its: { run: number; attempt: number; token: number } }> =>
      inOrganisation(id, async () => {
        const name = 'same-name'
        const agentId = await makeAgent(name)
        const credential = newToken('bga')
        await execute(null, 'UPDATE agents SET credential_hash = $2 WHERE id = $1', [agentId, hashToken(credential)])
        const line = new Line(port, credential)
        await line.say(hello(name))
        await line.until('welcome')
        const run = (await startRun(ADMIN, startSchema.parse({ jobId: await makeJob({ target: { agent: name } }) }))).id
        return { line, its: { run, ...(await lease(run, agentId)) } }
      })
    const first = await begin(FIRST)
    const second = await begin(yard)
    const states = async (): Promise<string[]> => [
      (await stateOf(first.its.run)).state,
      (await inOrganisation(yard, () => stateOf(second.its.run))).state,
    ]
    const before = await states()
    // The second one's agent speaks of the first one's attempt, token and all.
    await second.line.say(report({ attempt: first.its.attempt, token: first.its.token }, 1, started))
    await second.line.until('stale')
    expect(await states()).toEqual(before)
    await first.line.say(report(first.its, 1, started))
    await first.line.acked(first.its.attempt, 1)
    expect((await states())[0]).toBe('running')
    for (const { line } of [first, second]) line.end()
    for (const gateway of gateways.values()) gateway.stop()
    await reception.stop()
    for (const sink of sinks.values()) await sink.stop()
  })

  it('are told to come back while theirs is switched off', async () => {
    const credential = await inOrganisation(yard, async () => {
      const id = await makeAgent('waits')
      const made = newToken('bga')
      await execute(null, 'UPDATE agents SET credential_hash = $2 WHERE id = $1', [id, hashToken(made)])
      return made
    })
    await changeOrganisation(COMMAND_LINE, yard, { active: false })
    const reception = new Reception(() => undefined)
    const port = await freePort()
    await reception.listen(port, '127.0.0.1')
    const line = new Line(port, credential)
    expect(await line.until('refused')).toMatchObject({ code: 'switched-off', retry: true })
    expect(line.status).toBe(503)
    await reception.stop()
    await changeOrganisation(COMMAND_LINE, yard, { active: true })
  })
})

describe('an engine', () => {
  it('works for each organisation that is switched on, and leads in each', async () => {
    process.env.BUGLE_FORECAST = 'off'
    const engine = { id: randomUUID(), host: 'x', pid: 1, version: '1', gatewayUrl: 'ws://x', startedAt: new Date() }
    const workplaces = new Workplaces(engine)
    await workplaces.look()
    const leads = (id: number): Promise<{ is: boolean }> =>
      inOrganisation(id, () => one<{ is: boolean }>(null, 'SELECT engine_id = $1 AS is FROM leadership', [engine.id]))
    await eventually(async () => (await leads(FIRST)).is && (await leads(yard)).is)
    await changeOrganisation(COMMAND_LINE, yard, { active: false })
    await workplaces.look()
    expect(workplaces.gatewayOf(yard)).toBeUndefined()
    expect(workplaces.gatewayOf(FIRST)).toBeDefined()
    await changeOrganisation(COMMAND_LINE, yard, { active: true })
    await workplaces.look()
    expect(workplaces.gatewayOf(yard)).toBeDefined()
    await workplaces.stop()
  }, 60_000)
})
