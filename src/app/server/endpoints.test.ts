import { signIn } from '@/service/entry/entry.test-help'
import { actor, ADMIN, freshDatabase } from '@/store/database.test-help'
import { execute, many } from '@/store/db'
import { forgetLimits } from '@/store/limits'
import { addPerson } from '@/service/people/people'
import { addToken } from '@/service/people/access-tokens'
import { whoHasSession } from '@/service/people/sessions'

import { makeJob } from '@/service/fixtures.test-help'
import { listRuns, runFilterSchema } from '@/service/runs/run-list'
import { GET, POST } from '@/app/api/v1/[...path]/route'
import { stopLive } from './live'
import { ENDPOINTS, route } from '@/app/endpoints'

freshDatabase()
const PASSWORD = 'a long enough password'
const cookies: Record<string, string> = {}

beforeAll(async () => {
  for (const role of ['administrator', 'designer', 'operator', 'viewer'] as const) {
    await addPerson(ADMIN, { email: `${role}@marram.example`, name: role, role, password: PASSWORD })
    cookies[role] = await signIn(
      { email: `${role}@marram.example`, password: PASSWORD },
      { address: 'x', userAgent: '' },
    )
  }
})

interface Options {
  readonly as?: string
  readonly token?: string
  readonly body?: unknown
  readonly headers?: Record<string, string>
  /** The body is not read: it is a stream that goes on. */
  readonly leave?: boolean
}

async function call(
  method: string,
  path: string,
  { as, token, body, headers = {}, leave = false }: Options = {},
): Promise<{ status: number; body: Record<string, unknown>; response: Response }> {
  const request = new Request(`http://bugle.test/api/v1${path}`, {
    method,
    headers: {
      host: 'bugle.test',
      ...(as ? { cookie: `bugle_session=${cookies[as]}` } : {}),
      ...(token ? { authorization: `Bearer ${token}` } : {}),
      ...headers,
    },
    ...(body === undefined ? {} : { body: typeof body === 'string' ? body : JSON.stringify(body) }),
  })
  const segments = (path.split('?')[0] ?? '').slice(1).split('/')
  const handler = method === 'GET' ? GET : POST
  const response = await handler(request, { params: Promise.resolve({ path: segments }) })
  const text = leave ? '' : await response.clone().text()
  const isJson = text !== '' && (response.headers.get('content-type')?.includes('json') ?? false)
  return { status: response.status, body: isJson ? (JSON.parse(text) as Record<string, unknown>) : { text }, response }
}

const filled = (path: string): string => path.replace(/:\w+/g, '1')
const changing = ENDPOINTS.filter((e) => e.method !== 'GET' && !e.own && !e.reads)
const RANK = ['see', 'operate', 'design', 'administer']
const ROLE_BELOW: Record<string, string> = { operate: 'viewer', design: 'operator', administer: 'designer' }

describe('every endpoint that changes something', () => {
  it.each(changing.map((e) => [e.method, e.path, e] as const))(
    '%s %s refuses a viewer and the role below its own',
    async (method, path, endpoint) => {
      for (const role of ['viewer', ROLE_BELOW[endpoint.right] as string]) {
        const answer = await call(method, filled(path), { as: role, body: {} })
        expect(answer.status).toBe(403)
        expect(answer.body).toMatchObject({
          type: 'urn:bugle:problem:not-allowed',
          status: 403,
          instance: `/api/v1${filled(path)}`,
        })
      }
    },
  )

  it.each(changing.map((e) => [e.method, e.path, e] as const))(
    '%s %s is refused by the service function itself, before it looks at anything else',
    async (_method, path, endpoint) => {
      // Nothing is given but who asks: a function that looked at something first would fail with another error. What an operator may do of a change is the least that is asked for.
      const body =
        { '/agents/:id': { draining: true }, '/robots/:id': { active: true } }[path] ??
        ({ ids: [1], change: { enabled: true } } as object)
      const given = { actor: actor(ROLE_BELOW[endpoint.right] as 'viewer'), params: { id: 1 }, body, query: {} }
      await expect(endpoint.serve(given as never)).rejects.toMatchObject({
        code: 'not-allowed',
        extra: { needed: endpoint.right },
      })
    },
  )

  it('takes a right beyond reading', () => {
    expect(changing.length).toBeGreaterThan(15)
    for (const endpoint of changing) expect(RANK.indexOf(endpoint.right)).toBeGreaterThan(0)
  })
})

describe('every endpoint', () => {
  it.each(ENDPOINTS.map((e) => [e.method, e.path] as const))('%s %s asks who calls', async (method, path) => {
    const answer = await call(method, filled(path))
    expect(answer.status).toBe(401)
    expect(answer.response.headers.get('content-type')).toBe('application/problem+json')
  })

  it.each(
    ENDPOINTS.filter(
      (e) => e.body && !['/me', '/runs/:id/again', '/matters/:id/take', '/triggers/:id/start'].includes(e.path),
    ).map((e) => [e.method, e.path] as const),
  )('%s %s names the bad field of a bad request', async (method, path) => {
    const unknown = await call(method, filled(path), { as: 'administrator', body: { nonsense: 1 } })
    expect(unknown.status).toBe(400)
    expect(unknown.body.errors).toEqual(expect.arrayContaining([expect.objectContaining({ path: 'nonsense' })]))
    expect((await call(method, filled(path), { as: 'administrator', body: '{"broken"' })).status).toBe(400)
    expect((await call(method, filled(path), { as: 'administrator', body: '[]' })).status).toBe(400)
  })

  it.each([
    '/runs?colour=red',
    '/runs?state=asleep',
    '/runs?limit=0',
    '/audit?before=x',
    '/lanes?hours=99',
    '/runs/1/output?attempt=0',
    '/agents/1/busy?over=year',
  ])('GET %s names the bad part of the address', async (path) => {
    const answer = await call('GET', path, { as: 'administrator' })
    expect(answer.status).toBe(400)
    expect((answer.body.errors as unknown[]).length).toBeGreaterThan(0)
  })
})

describe('the API', () => {
  it('knows what is not there', async () => {
    expect((await call('GET', '/nothing', { as: 'viewer' })).status).toBe(404)
    expect((await call('GET', '/runs/999999', { as: 'viewer' })).status).toBe(404)
    expect((await call('DELETE', '/runs/1', { as: 'administrator' })).status).toBe(404)
    expect(route('GET', ['runs', '0'])).toEqual({ known: false })
    expect(route('PUT', ['runs'])).toEqual({ known: true })
  })

  it('takes changes by cookie only from its own pages', async () => {
    const foreign = await call('POST', '/areas', {
      as: 'designer',
      body: { title: 'x' },
      headers: { origin: 'https://elsewhere.example' },
    })
    expect(foreign.body).toMatchObject({ type: 'urn:bugle:problem:foreign-origin', status: 403 })
    expect(
      (
        await call('POST', '/areas', {
          as: 'designer',
          body: { title: 'From here' },
          headers: { origin: 'http://bugle.test' },
        })
      ).status,
    ).toBe(201)
  })

  it('works with an access token, from anywhere', async () => {
    const me = (await whoHasSession(cookies.operator ?? '', 'x'))?.actor
    if (!me) throw new Error('not signed in')
    const { token } = await addToken(me, { name: 'script', days: 1, may: 'administer' })
    const jobId = await makeJob({}, '=cmd|danger')
    const started = await call('POST', '/runs', {
      token,
      body: { jobId },
      headers: { origin: 'https://elsewhere.example' },
    })
    expect(started.status).toBe(201)
    const [run] = (await listRuns(ADMIN, runFilterSchema.parse({ job: String(jobId) }))).rows
    expect(run).toMatchObject({ id: started.body.id, cause: 'token', starter: 'operator' })
    expect((await call('GET', '/me', { token: 'bgt_wrong' })).status).toBe(401)
  })

  it('exports runs as CSV that no spreadsheet runs', async () => {
    const { body, response } = await call('GET', '/exports?list=runs&columns=number,job,area', { as: 'viewer' })
    expect(response.headers.get('content-type')).toContain('text/csv')
    const lines = String(body.text).split('\r\n')
    expect(lines[0]).toBe('Run,Job,Area')
    expect(lines[1]).toContain("'=cmd|danger")
  })

  it('does nothing by halves: a refused change leaves no trace', async () => {
    const before = await many(null, 'SELECT count(*)::int AS n FROM audit')
    expect(
      (
        await call('POST', '/jobs', {
          as: 'designer',
          body: {
            title: 'x',
            areaId: 999_999,
            definition: { action: { kind: 'command', command: 'true' }, target: { pool: 'quay' } },
          },
        })
      ).body,
    ).toMatchObject({
      errors: [{ path: 'areaId' }],
    })
    expect(await many(null, 'SELECT count(*)::int AS n FROM audit')).toEqual(before)
    expect(await many(null, `SELECT 1 AS one FROM jobs WHERE title = 'x'`)).toEqual([])
  })

  it('keeps nobody’s answer on the way, and shows none as a page', async () => {
    for (const path of ['/me', '/nothing', '/exports?list=runs', '/runs/999999']) {
      const { response } = await call('GET', path, { as: 'viewer' })
      expect(response.headers.get('cache-control')).toBe('no-store')
      expect(response.headers.get('x-content-type-options')).toBe('nosniff')
      expect(response.headers.get('content-security-policy')).toContain("default-src 'none'")
    }
  })

  it('names the place of a character that cannot be stored', async () => {
    for (const title of ['a\0b', '\uD800']) {
      const answer = await call('POST', '/areas', { as: 'designer', body: { title } })
      expect(answer.status).toBe(400)
      expect(answer.body.errors).toEqual([
        { path: 'title', message: expect.stringContaining('cannot be stored') as string },
      ])
    }
    expect((await call('GET', '/runs?text=%00', { as: 'viewer' })).status).toBe(400)
    expect((await call('POST', '/areas', { as: 'designer', body: { title: 'a\u202Eb' } })).status).toBe(400)
  })

  it('asks an administrator for the password again after a while, and whoever makes a token', async () => {
    await execute(null, `UPDATE sessions SET confirmed_at = now() - interval '1 hour'`)
    const asked = await call('POST', '/pools', { as: 'administrator', body: { name: 'quay-9', title: 'Quay 9' } })
    expect(asked.body).toMatchObject({ type: 'urn:bugle:problem:confirm-first', status: 403 })
    expect((await call('POST', '/me/tokens', { as: 'viewer', body: { name: 'x', days: 1 } })).body).toMatchObject({
      type: 'urn:bugle:problem:confirm-first',
    })
    // What does not need an administrator goes on.
    expect((await call('POST', '/areas', { as: 'administrator', body: { title: 'Not asked' } })).status).toBe(201)
    expect((await call('POST', '/me/confirm', { as: 'administrator', body: { password: 'wrong' } })).status).toBe(400)
    expect((await call('POST', '/me/confirm', { as: 'administrator', body: { password: PASSWORD } })).status).toBe(204)
    expect(
      (await call('POST', '/pools', { as: 'administrator', body: { name: 'quay-9', title: 'Quay 9' } })).status,
    ).toBe(201)
    await execute(null, 'UPDATE sessions SET confirmed_at = now()')
  })

  it('writes refusals of rights into the audit, not without end', async () => {
    await execute(null, 'DELETE FROM attempt_counts')
    for (let i = 0; i < 30; i++) await call('POST', '/pools', { as: 'viewer', body: {} })
    const rows = await many<{ title: string }>(
      null,
      `SELECT object_title AS title FROM audit WHERE action = 'refused' AND object_title = 'POST /api/v1/pools' AND person_name = 'viewer'`,
    )
    expect(rows.length).toBeGreaterThan(10)
    expect(rows.length).toBeLessThanOrEqual(21)
  })

  it('gives a token no more than it may', async () => {
    const me = (await whoHasSession(cookies.administrator ?? '', 'x'))?.actor
    if (!me) throw new Error('not signed in')
    const { token } = await addToken(me, { name: 'reads', days: 1, may: 'see' })
    expect((await call('GET', '/runs', { token })).status).toBe(200)
    expect((await call('POST', '/areas', { token, body: { title: 'Never' } })).status).toBe(403)
  })

  it('has only so many live pages for one person', async () => {
    process.env.BUGLE_LIMIT_STREAMS_PER_PERSON = '2'
    forgetLimits()
    const streams = [
      await call('GET', '/live', { as: 'viewer', leave: true }),
      await call('GET', '/live', { as: 'viewer', leave: true }),
    ]
    expect(streams.map(({ status }) => status)).toEqual([200, 200])
    expect((await call('GET', '/live', { as: 'viewer', leave: true })).status).toBe(429)
    await streams[0]?.response.body?.cancel()
    const again = await call('GET', '/live', { as: 'viewer', leave: true })
    expect(again.status).toBe(200)
    for (const { response } of [streams[1], again] as { response: Response }[]) await response.body?.cancel()
    delete process.env.BUGLE_LIMIT_STREAMS_PER_PERSON
    forgetLimits()
    await stopLive()
  })

  it('refuses a body beyond a megabyte', async () => {
    expect(
      (await call('POST', '/areas', { as: 'designer', body: JSON.stringify({ title: 'x'.repeat(1_100_000) }) })).status,
    ).toBe(413)
  })
})
