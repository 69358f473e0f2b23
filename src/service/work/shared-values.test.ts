import type { Input } from '@/core/work/inputs'
import { actor, ADMIN, freshDatabase } from '@/store/database.test-help'
import { execute, many, one } from '@/store/db'
import { listAudit } from '@/service/base/audit'
import { exportBundle } from '@/service/exchange/bundle-out'
import { importBundle } from '@/service/exchange/bundle-in'
import { removeCalendar } from '@/service/timing/calendars'
import { connected, makeAgent, makeJob } from '@/service/fixtures.test-help'
import { advance, carryOut, hand, makeFlow, namedJob, picture, readySteps } from '@/service/flows/flow.test-help'
import { leasesToDeliver } from '@/service/runs/delivery'
import {
  addSharedValue,
  changeSharedValue,
  listSharedValues,
  removeSharedValue,
  sharedValueChangeSchema,
  sharedValueSchema,
} from './shared-values'
import { runAgain, againSchema, startable, startRun, startSchema } from '@/service/runs/start'
import { fire, makeCalendar, makeTrigger, missedOf, runsOf } from '@/service/timing/timing.test-help'

freshDatabase()

const SECRET = 'gannet-over-skerry-4'
const DESIGNER = actor('designer')
const MOIRA = actor('operator', { name: 'Moira Calder', email: 'moira.calder@marram.example' })
const input = (name: string, change: object): Input =>
  ({ name, title: '', type: 'text', options: [], default: null, ask: true, ...change }) as Input
const shared = (name: string): { default: { shared: string } } => ({ default: { shared: name } })
const idOf = async (name: string): Promise<number> =>
  (await one<{ id: number }>(null, 'SELECT id FROM shared_values WHERE name = $1', [name])).id
const put = async (name: string, value: string): Promise<void> =>
  changeSharedValue(ADMIN, await idOf(name), sharedValueChangeSchema.parse({ title: name, value }))
const openOf = async (run: number): Promise<Record<string, string>> =>
  (await one<{ inputs: Record<string, string> }>(null, 'SELECT inputs FROM runs WHERE id = $1', [run])).inputs
const start = async (jobId: number, inputs = {}, who = MOIRA): Promise<number> =>
  (await startRun(who, startSchema.parse({ jobId, inputs }))).id

beforeAll(async () => {
  await makeAgent('a1', 100)
  const add = (name: string, value: string, isSecret = false): Promise<unknown> =>
    addSharedValue(ADMIN, sharedValueSchema.parse({ name, title: name, value, isSecret }))
  await add('harbour', 'orrin')
  await add('boats', '11')
  await add('booking-key', SECRET, true)
})

/** What the agent is given with this run. */
async function leaseOf(run: number, agent: number): Promise<Record<string, string>> {
  const lease = (await leasesToDeliver(await connected(agent))).find((each) => each.lease.run === run)
  return lease?.lease.inputs ?? {}
}

describe('a day by default', () => {
  it('goes by the day of the occurrence, of a flow by the flow’s, and by today for a person', async () => {
    const calendar = await makeCalendar('bank-days', { dates: ['2027-03-05', '2027-03-12'] })
    const inputs = [
      input('of', { type: 'day', default: { day: 'last', calendar: 'bank-days' } }),
      input('made', { type: 'day', default: { day: 'today' } }),
    ]
    const jobId = await makeJob({ inputs }, 'Statements')
    const trigger = await makeTrigger({ jobId, time: { at: ['02:00'] }, zone: 'UTC', next: '2027-03-09T02:00Z' })
    await fire('2027-03-09T02:00:01Z', trigger)
    const [run] = await runsOf(trigger)
    expect(await openOf(run?.id as number)).toEqual({ of: '2027-03-05', made: '2027-03-09' })
    const today = new Date().toISOString().slice(0, 10)
    expect(await openOf(await start(jobId, { of: today }))).toEqual({ of: today, made: today })
    // Shown for a trigger it is no day yet.
    expect((await startable(MOIRA, jobId, 'trigger')).inputs[1]?.default).toEqual({ day: 'today' })
    await expect(removeCalendar(ADMIN, calendar.id)).rejects.toThrow('bank-days is used by Statements')
    const gone = [input('of', { type: 'day', default: { day: 'next', calendar: 'nowhere' } })]
    await expect(makeJob({ inputs: gone }, 'Lost')).rejects.toMatchObject({
      errors: [{ path: 'definition.inputs[0].default', message: 'There is no calendar nowhere.' }],
    })
  })
})

describe('shared values', () => {
  it('are made by designers, secrets by administrators; a secret is told to nobody', async () => {
    const secret = sharedValueSchema.parse({ name: 'other-key', title: 'Key', value: SECRET, isSecret: true })
    await expect(addSharedValue(DESIGNER, secret)).rejects.toMatchObject({ code: 'not-allowed' })
    await expect(addSharedValue(MOIRA, { ...secret, isSecret: false })).rejects.toMatchObject({ code: 'not-allowed' })
    await expect(changeSharedValue(DESIGNER, await idOf('booking-key'), { title: 'Mine' })).rejects.toMatchObject({
      code: 'not-allowed',
    })
    await expect(addSharedValue(ADMIN, { ...secret, name: 'harbour' })).rejects.toMatchObject({
      errors: [{ path: 'name' }],
    })
    expect(sharedValueSchema.safeParse({ ...secret, value: '' }).success).toBe(false)
    const before = await one<{ secret: Buffer }>(null, `SELECT secret FROM shared_values WHERE name = 'booking-key'`)
    await changeSharedValue(ADMIN, await idOf('booking-key'), { title: 'Key of the bookings' })
    const after = await one<{ secret: Buffer }>(null, `SELECT secret FROM shared_values WHERE name = 'booking-key'`)
    expect(after.secret.equals(before.secret)).toBe(true)
    const told = JSON.stringify([await listSharedValues(MOIRA), await listAudit(ADMIN, {} as never), after])
    expect(told).toContain('Key of the bookings')
    expect(told).not.toContain(SECRET)
  })

  it.each<[string, object, string]>([
    ['is not there', shared('nothing'), 'There is no shared value nothing.'],
    ['is a secret, for what is no secret', shared('booking-key'), 'is a secret: only an input that is a secret'],
    ['is no secret, for a secret', { type: 'secret', ...shared('harbour') }, 'The shared value harbour is no secret.'],
    ['does not fit', { type: 'number', ...shared('harbour') }, 'The shared value harbour is not a number.'],
  ])('are refused as a default where one %s', async (_, change, message) => {
    const fault = { path: 'definition.inputs[0].default', message: expect.stringContaining(message) as string }
    const inputs = [input('x', change)]
    await expect(makeJob({ inputs })).rejects.toMatchObject({ errors: [fault] })
    await expect(makeFlow([], { inputs })).rejects.toMatchObject({ errors: [fault] })
  })

  it('hold no NUL, which nothing can carry, and a secret is not repeated in what is said about it', async () => {
    const request = { name: 'nul', title: 'Nul', value: `${SECRET}\0` }
    for (const isSecret of [false, true])
      expect(sharedValueSchema.safeParse({ ...request, isSecret }).success).toBe(false)
    const change = sharedValueChangeSchema.safeParse({ title: 'x', value: `${SECRET}\0` })
    expect(JSON.stringify([change.success, change.error?.issues])).not.toContain(SECRET)
    expect(change.success).toBe(false)
  })

  it('keep to what takes them: none is removed while it is taken, none changed to what does not fit', async () => {
    await makeJob(
      { inputs: [input('many', { type: 'number', title: 'Boats', ...shared('boats') })] },
      'Count the boats',
    )
    await makeFlow([], { inputs: [input('x', shared('boats'))] })
    const row = (await listSharedValues(MOIRA)).find(({ name }) => name === 'boats')
    expect(row?.uses.map(({ isFlow }) => isFlow).sort()).toEqual([false, true])
    await expect(put('boats', 'many')).rejects.toMatchObject({
      errors: [{ path: 'value', message: 'Count the boats takes it for Boats, and “many” is not a number.' }],
    })
    await put('boats', '12')
    await expect(removeSharedValue(ADMIN, await idOf('boats'))).rejects.toMatchObject({
      code: 'not-now',
      detail: expect.stringContaining('Count the boats') as string,
    })
    const { id } = await addSharedValue(
      DESIGNER,
      sharedValueSchema.parse({ name: 'unused', title: 'Unused', value: '' }),
    )
    await removeSharedValue(DESIGNER, id)
    expect((await listSharedValues(MOIRA)).some(({ name }) => name === 'unused')).toBe(false)
  })
})

describe('a default that only the server knows', () => {
  const inputs = [
    input('harbour', shared('harbour')),
    input('by', { default: { starter: 'name' } }),
    input('to', { default: { starter: 'email' } }),
    input('key', { type: 'secret', ask: false, ...shared('booking-key') }),
  ]

  it('is filled in for whoever starts: shown beforehand, kept with the run, the secret in its lease alone', async () => {
    const { id } = await namedJob({ inputs })
    expect((await startable(MOIRA, id)).inputs.map((each) => each.default)).toEqual([
      'orrin',
      'Moira Calder',
      'moira.calder@marram.example',
      { shared: 'booking-key' },
    ])
    const run = await start(id)
    const open = { harbour: 'orrin', by: 'Moira Calder', to: 'moira.calder@marram.example' }
    expect(await openOf(run)).toEqual(open)
    await hand(run)
    const flowsAgent = await one<{ id: number }>(null, `SELECT id FROM agents WHERE name = 'flows'`)
    expect(await leaseOf(run, flowsAgent.id)).toEqual({ ...open, key: SECRET })
    const given = await start(id, { harbour: 'tarn', key: 'another' })
    expect((await openOf(given)).harbour).toBe('tarn')
    const rows = await many<{ t: string }>(null, 'SELECT row_to_json(r)::text AS t FROM runs r')
    expect(rows.some(({ t }) => t.includes(SECRET))).toBe(false)
  })

  it('is shown for a trigger as a trigger has it: in its own name, and with nobody’s address', async () => {
    const { id } = await namedJob({ inputs })
    expect((await startable(MOIRA, id, 'trigger')).inputs.map((each) => each.default)).toEqual([
      'orrin',
      'the trigger’s title',
      null,
      { shared: 'booking-key' },
    ])
  })

  it('stays as it was when the run is run again, and is new in a new run', async () => {
    const id = await makeJob({ inputs: [input('harbour', shared('harbour'))] })
    const run = await start(id)
    await put('harbour', 'stavin')
    const { id: again } = await runAgain(MOIRA, run, againSchema.parse({}))
    expect([(await openOf(again)).harbour, (await openOf(await start(id))).harbour]).toEqual(['orrin', 'stavin'])
    await put('harbour', 'orrin')
  })

  it('lets a trigger start what takes a secret; the address of nobody is asked for beforehand', async () => {
    const withKey = await makeJob({ inputs: [inputs[0] as Input, inputs[1] as Input, inputs[3] as Input] })
    const trigger = await makeTrigger({ jobId: withKey, next: '2027-03-09T17:00:00Z' }, 'Evening bookings')
    await fire('2027-03-09T17:00:00Z', trigger)
    const [run] = await runsOf(trigger)
    expect(await openOf(run?.id as number)).toEqual({ harbour: 'orrin', by: 'Evening bookings' })
    await expect(makeTrigger({ jobId: withKey, with: { key: 'plain' } })).rejects.toMatchObject({
      errors: [{ path: 'definition.with.key' }],
    })
    const asksAddress = await makeJob({ inputs: [inputs[2] as Input] })
    await expect(makeTrigger({ jobId: asksAddress })).rejects.toMatchObject({
      errors: [{ path: 'definition.with.to', message: expect.stringContaining('not known here') as string }],
    })
    await makeTrigger({ jobId: asksAddress, with: { to: 'desk@marram.example' } })
  })

  it('that is gone when its trigger fires is told as what was not started', async () => {
    const job = await makeJob({ inputs: [input('x', shared('boats'))] })
    const trigger = await makeTrigger({ jobId: job, next: '2027-03-10T17:00:00Z' })
    await execute(null, `UPDATE shared_values SET name = 'boats-gone' WHERE name = 'boats'`)
    await fire('2027-03-10T17:00:00Z', trigger)
    await execute(null, `UPDATE shared_values SET name = 'boats' WHERE name = 'boats-gone'`)
    expect(await missedOf(trigger)).toMatchObject([
      { why: 'inputs', detail: 'x needs a value: there is no shared value boats that fits it.' },
    ])
  })
})

describe('flows in flows', () => {
  it('take shared values as they were when the run began, secrets too, and keep these out of what is stored', async () => {
    const job = await namedJob({
      inputs: [input('at', {}), input('key', { type: 'secret' }), input('boats', shared('boats'))],
    })
    const inner = await makeFlow(
      [
        { id: 'first', job: job.slug, with: { at: '${harbour}', key: '${key}' } },
        {
          id: 'second',
          job: job.slug,
          with: { at: '${by}', key: '${key}' },
          after: [{ step: 'first' }],
          gate: { input: 'harbour', equals: 'orrin' },
        },
      ],
      {
        inputs: [
          input('harbour', shared('harbour')),
          input('by', { default: { starter: 'name' } }),
          input('key', { type: 'secret', ...shared('booking-key') }),
        ],
      },
    )
    const outer = await makeFlow([{ id: 'in', flow: inner.slug }])
    const run = await start(outer.id)
    await advance()
    const first = (await readySteps(run))['in/first'] as number
    expect(await openOf(first)).toEqual({ at: 'orrin', boats: '12' })
    await put('harbour', 'tarn')
    await put('booking-key', 'quite-another-one')
    await carryOut(run, 'in/first')
    expect(await picture(run)).toEqual(['running', 'in running', 'in/first succeeded', 'in/second ready'])
    const second = (await readySteps(run))['in/second'] as number
    expect(await openOf(second)).toEqual({ at: 'Moira Calder', boats: '12' })
    await hand(second)
    const flowsAgent = await one<{ id: number }>(null, `SELECT id FROM agents WHERE name = 'flows'`)
    expect((await leaseOf(second, flowsAgent.id)).key).toBe(SECRET)
    const stored = await many<{ t: string }>(
      null,
      'SELECT row_to_json(p)::text AS t FROM flow_plans p UNION ALL SELECT row_to_json(r)::text FROM runs r',
    )
    expect(stored.some(({ t }) => t.includes(SECRET))).toBe(false)
    await put('harbour', 'orrin')
  })
})

describe('bundles', () => {
  it('carry defaults by name, and tell where one is missing', async () => {
    const { slug } = await namedJob({
      inputs: [input('x', shared('harbour')), input('y', { default: { starter: 'email' } })],
    })
    const { bundle } = {
      bundle: (await exportBundle(ADMIN)) as unknown as { jobs: { id: string; inputs?: object[] }[] },
    }
    const job = bundle.jobs.find(({ id }) => id === slug)
    expect(job?.inputs).toEqual([
      { name: 'x', type: 'text', default: { shared: 'harbour' } },
      { name: 'y', type: 'text', default: { starter: 'email' } },
    ])
    const { lines } = await importBundle(ADMIN, { ...bundle, jobs: [job], flows: [], triggers: [] }, true)
    expect(lines.filter(({ kind }) => kind === 'job')).toEqual([{ kind: 'job', id: slug, what: 'same' }])
    const changed = { ...job, inputs: [{ name: 'x', type: 'text', default: { shared: 'gone' } }] }
    await expect(importBundle(ADMIN, { format: 'bugle-bundle/1', jobs: [changed] }, true)).rejects.toMatchObject({
      errors: [{ path: 'jobs[0].inputs[0].default' }],
    })
    const unknown = { ...job, inputs: [{ name: 'x', type: 'text', default: { starter: 'age' } }] }
    await expect(importBundle(ADMIN, { format: 'bugle-bundle/1', jobs: [unknown] }, true)).rejects.toMatchObject({
      errors: [
        { path: 'jobs[0].inputs[0].default', message: expect.stringContaining('{"starter": "email"}') as string },
      ],
    })
  })
})
