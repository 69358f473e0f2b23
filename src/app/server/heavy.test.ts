import { signIn } from '@/service/entry/entry.test-help'
import { ADMIN, freshDatabase } from '@/store/database.test-help'
import { many } from '@/store/db'
import { forgetLimits } from '@/store/limits'
import { addPerson } from '@/service/people/people'

import { makeJob } from '@/service/fixtures.test-help'
import { GET, POST } from '@/app/api/v1/[...path]/route'
import { ENDPOINTS } from '@/app/endpoints'

freshDatabase()
const PASSWORD = 'a long enough password'
const cookies: Record<string, string> = {}
const all = (n: number): string => Array.from({ length: n }, (_, i) => i).join(',')
const EVERY_SECOND = `BYHOUR=${all(24)};BYMINUTE=${all(60)};BYSECOND=${all(60)}`

beforeAll(async () => {
  for (const role of ['designer', 'viewer'] as const) {
    await addPerson(ADMIN, { email: `${role}@marram.example`, name: role, role, password: PASSWORD })
    cookies[role] = await signIn(
      { email: `${role}@marram.example`, password: PASSWORD },
      { address: 'x', userAgent: '' },
    )
  }
})
afterEach(() => {
  for (const name of Object.keys(process.env)) if (name.startsWith('BUGLE_LIMIT_')) delete process.env[name]
  forgetLimits()
})

async function call(
  method: 'GET' | 'POST',
  path: string,
  body?: unknown,
  as = 'designer',
): Promise<{ status: number; body: Record<string, unknown> }> {
  const request = new Request(`http://bugle.test/api/v1${path}`, {
    method,
    headers: { host: 'bugle.test', cookie: `bugle_session=${cookies[as]}` },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  })
  const segments = (path.split('?')[0] ?? '').slice(1).split('/')
  const response = await (method === 'GET' ? GET : POST)(request, { params: Promise.resolve({ path: segments }) })
  const text = await response.text()
  return {
    status: response.status,
    body: text.startsWith('{') ? (JSON.parse(text) as Record<string, unknown>) : { text },
  }
}

const LONG = Array.from({ length: 20_000 }, (_, i) => `${i % 60} ${i % 24} * * * /opt/tools/poll ${i}`).join('\n')

/** The longest that this thread was away while the work was done, milliseconds. */
async function awayDuring<T>(work: () => Promise<T>): Promise<{ result: T; awayMs: number }> {
  let [last, awayMs] = [performance.now(), 0]
  const beat = setInterval(() => {
    const now = performance.now()
    awayMs = Math.max(awayMs, now - last)
    last = now
  }, 5)
  const result = await work()
  clearInterval(beat)
  return { result, awayMs }
}

describe('a request that may take long', () => {
  it('is answered as any other: rights, faults by their place, what was saved', async () => {
    const rule = { weekdays: ['MO'] }
    expect((await call('POST', '/calendars', { title: 'Quay days', rule }, 'viewer')).status).toBe(403)
    expect((await call('POST', '/calendars', { title: '', rule })).body).toMatchObject({ errors: [{ path: 'title' }] })
    expect((await call('POST', '/calendars', '{"broken')).status).toBe(400)
    const made = await call('POST', '/calendars', { title: 'Quay days', rule })
    expect(made.status).toBe(201)
    expect(await many(null, 'SELECT title FROM calendars WHERE id = $1', [made.body.id])).toEqual([
      { title: 'Quay days' },
    ])
    expect((await call('GET', `/calendars/${String(made.body.id)}/days.ics?from=2027&to=2027`)).body.text).toContain(
      'BEGIN:VCALENDAR',
    )
    expect((await call('GET', '/calendars/999999')).status).toBe(404)
  })

  it('does not hold up this process', async () => {
    await call('POST', '/crontab/read', { text: 'warms up' })
    const { result, awayMs } = await awayDuring(() => call('POST', '/crontab/read', { text: LONG }))
    expect(result.status).toBe(200)
    expect((result.body.triggers as unknown[]).length).toBe(20_000)
    // Not how fast: that it was done elsewhere. Here it takes longer than a second.
    expect(awayMs).toBeLessThan(1000)
  })

  it('has only so many at once for one person', async () => {
    process.env.BUGLE_LIMIT_COMPUTATIONS_PER_PERSON = '3'
    forgetLimits()
    const answers = await Promise.all([1, 2, 3, 4, 5].map(() => call('POST', '/crontab/read', { text: LONG })))
    expect(answers.map(({ status }) => status).sort()).toEqual([200, 200, 200, 429, 429])
    expect((await call('POST', '/crontab/read', { text: '0 6 * * * true' })).status).toBe(200)
  })

  it('is given up when it takes longer than it may, and leaves nothing behind', async () => {
    process.env.BUGLE_LIMIT_COMPUTATION_SECONDS = '0.001'
    forgetLimits()
    const given = await call('POST', '/calendars', { title: 'Never', rule: { weekdays: ['MO'] } })
    expect(given).toMatchObject({ status: 422, body: { type: 'urn:bugle:problem:too-much' } })
    expect(await many(null, `SELECT 1 AS one FROM calendars WHERE title = 'Never'`)).toEqual([])
    delete process.env.BUGLE_LIMIT_COMPUTATION_SECONDS
    forgetLimits()
    expect((await call('POST', '/calendars', { title: 'Ever', rule: { weekdays: ['MO'] } })).status).toBe(201)
  })
})

describe('what takes too many steps', () => {
  const definition = (rrule: string): unknown => ({ time: { rrule, start: '2026-01-01T04:00' }, zone: 'UTC' })

  it('of a full year of seconds is worked out at once: only what is asked for', async () => {
    const jobId = await makeJob()
    const shown = await call('POST', '/triggers/preview', {
      jobId,
      definition: definition(`FREQ=YEARLY;BYMONTH=1;${EVERY_SECOND};BYSETPOS=-1,1`),
    })
    expect(shown.status).toBe(200)
    expect((shown.body.next as unknown[]).length).toBeGreaterThan(8)
  })

  it('is refused with the limit named, at its place, when it is looked at and when it is saved', async () => {
    const jobId = await makeJob()
    // Every even second of a count of odd ones: it never comes.
    const evens = Array.from({ length: 30 }, (_, i) => i * 2).join(',')
    const trigger = {
      jobId,
      definition: {
        time: { rrule: `FREQ=SECONDLY;INTERVAL=14;BYSECOND=${evens}`, start: '2026-01-01T00:00:01' },
        zone: 'UTC',
      },
    }
    const fault = { path: 'definition.time', message: expect.stringContaining('8,000,000 steps') as string }
    expect((await call('POST', '/triggers/preview', trigger)).body).toMatchObject({ status: 400, errors: [fault] })
    expect((await call('POST', '/triggers', { ...trigger, title: 'Never', sure: true })).body).toMatchObject({
      status: 400,
      errors: [{ ...fault, message: expect.stringContaining('Never: This takes') as string }],
    })
  })

  it('as a calendar or a file is refused with the limit named', async () => {
    const rules = Array.from({ length: 9000 }, (_, i) => ({
      rrule: `FREQ=YEARLY;BYYEARDAY=${(i % 365) + 1}`,
      start: '2020-01-01',
    }))
    const saved = await call('POST', '/calendars', { title: 'Too many parts', rule: { any: rules } })
    expect(saved.body).toMatchObject({
      status: 400,
      errors: [{ path: 'rule', message: expect.stringContaining('8,000,000 steps') as string }],
    })
    const text = Array.from(
      { length: 200 },
      (_, i) =>
        `BEGIN:VEVENT\r\nUID:${i}\r\nSUMMARY:${'Dry dock '.repeat(22)}\r\nDTSTART;VALUE=DATE:${2000 + i * 9}0101\r\nDTEND;VALUE=DATE:${2009 + i * 9}0101\r\nEND:VEVENT\r\n`,
    )
    const read = await call('POST', '/calendars/read-ics', {
      text: `BEGIN:VCALENDAR\r\n${text.join('')}END:VCALENDAR\r\n`,
    })
    expect(read.body).toMatchObject({
      status: 400,
      errors: [{ path: 'text', message: expect.stringContaining('million characters') as string }],
    })
    const crontab = await call('POST', '/crontab/read', { text: '* * * * * a\n'.repeat(70_000) })
    expect(crontab.body).toMatchObject({
      status: 400,
      errors: [{ path: 'text', message: expect.stringContaining('20,000') as string }],
    })
  })
})

it('every endpoint that computes on what was written is one of these', () => {
  const heavy = ENDPOINTS.filter((endpoint) => endpoint.heavy).map(({ method, path }) => `${method} ${path}`)
  for (const wanted of [
    'POST /triggers',
    'PUT /triggers/:id',
    'POST /bundle',
    'POST /calendars/preview',
    'POST /flows',
  ])
    expect(heavy).toContain(wanted)
})
