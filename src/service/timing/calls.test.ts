import { randomUUID } from 'node:crypto'
import { CloudEvent, HTTP } from 'cloudevents'
import { Webhook } from 'standardwebhooks'
import type { Input } from '@/core/work/inputs'
import { ADMIN, freshDatabase, OPERATOR, VIEWER } from '@/store/database.test-help'
import { execute, many, one } from '@/store/db'
import { Problem } from '@/service/base/problem'
import { makeAgent, makeJob } from '@/service/fixtures.test-help'
import { takeLeadership } from '@/service/runs/leadership'
import { callAddress, receiveCall, renewCall, type CallAnswer } from './calls'
import { decideEvents } from './events'
import { switchStarts } from './starts'
import { makeTrigger, missedOf } from './timing.test-help'
import { changeTriggers } from './triggers'

const VESSEL: Input = { name: 'vessel', title: '', type: 'text', options: [], default: null, ask: true }

const jsonOf = (text: string): unknown => {
  try {
    return JSON.parse(text) as unknown
  } catch {
    throw new Problem('invalid-input', 'The request is not JSON.')
  }
}

freshDatabase()

beforeAll(async () => {
  await makeAgent('a1', 64)
  await takeLeadership(randomUUID())
})

interface Called {
  readonly trigger: number
  readonly signingKey: string
  readonly token: string
  readonly send: (body: unknown, headers?: Record<string, string>) => Promise<CallAnswer>
}
async function called(call: object = {}, more: object = {}): Promise<Called> {
  const trigger = await makeTrigger({ time: undefined, call, overlap: 'start', ...more })
  const { path, signingKey } = await renewCall(ADMIN, trigger)
  const token = path.replace('/call/', '')
  const send: Called['send'] = (body, headers = {}) =>
    receiveCall(token, { headers, text: typeof body === 'string' ? body : JSON.stringify(body) }, jsonOf)
  return { trigger, signingKey, token, send }
}
const signed = (key: string, body: unknown, id: string = randomUUID(), at = new Date()): Record<string, string> => ({
  'webhook-id': id,
  'webhook-timestamp': String(Math.floor(at.getTime() / 1000)),
  'webhook-signature': new Webhook(key).sign(id, at, JSON.stringify(body)),
})
const runsOf = (trigger: number): Promise<{ id: number; inputs: Record<string, string> }[]> =>
  many(null, 'SELECT id, inputs FROM runs WHERE trigger_id = $1 ORDER BY id', [trigger])

it('starts a run with what it brings, and says its number; the same again says the same', async () => {
  const jobId = await makeJob({ inputs: [VESSEL] })
  const { trigger, send } = await called({}, { jobId, with: { vessel: { from: '/data/vessel' } } })
  const body = { data: { vessel: 'Selkie' } }
  const answer = await send(body, { 'webhook-id': 'arrival-1' })
  expect(answer).toEqual({ started: true, waits: false, run: expect.any(Number), runs: [answer.run] })
  expect(await send(body, { 'webhook-id': 'arrival-1' })).toEqual(answer)
  expect(await runsOf(trigger)).toEqual([{ id: answer.run, inputs: { vessel: 'Selkie' } }])
  expect((await send(body)).run).not.toBe(answer.run)
  expect((await send(body)).started).toBe(true)
  expect(await runsOf(trigger)).toHaveLength(3)
})

it('the same call at the same moment, many times, makes one run', async () => {
  const { trigger, send } = await called()
  const answers = await Promise.all(Array.from({ length: 8 }, () => send({}, { 'idempotency-key': 'one' })))
  expect(new Set(answers.map(({ run }) => run)).size).toBe(1)
  expect(await runsOf(trigger)).toHaveLength(1)
})

it('reads CloudEvents in both modes, and knows one again by its source and id', async () => {
  const jobId = await makeJob({ inputs: [VESSEL] })
  const { trigger, send } = await called(
    { only: { '/type': 'arrived' } },
    { jobId, with: { vessel: { from: '/data/vessel' } } },
  )
  const event = new CloudEvent({ source: '/harbour', type: 'arrived', id: '7', data: { vessel: 'Selkie' } })
  const answers: CallAnswer[] = []
  for (const message of [HTTP.structured(event), HTTP.binary(event)])
    answers.push(
      await send(message.body, Object.fromEntries(Object.entries(message.headers).map(([k, v]) => [k, String(v)]))),
    )
  expect(answers[0]).toMatchObject({ started: true })
  expect(answers[1]).toEqual(answers[0])
  expect(await runsOf(trigger)).toEqual([expect.objectContaining({ inputs: { vessel: 'Selkie' } })])
  const other = HTTP.structured(event.cloneWith({ id: '8', type: 'left' }))
  expect(await send(other.body, { 'content-type': 'application/cloudevents+json' })).toMatchObject({ started: false })
  await expect(
    send({ specversion: '1.0', id: '9' }, { 'content-type': 'application/cloudevents+json' }),
  ).rejects.toMatchObject({ code: 'invalid-input' })
})

it('signed calls only: a missing, wrong, old or foreign signature starts nothing, and one that is repeated nothing more', async () => {
  const { trigger, send, signingKey } = await called({ signed: true })
  const body = { x: 1 }
  const right = signed(signingKey, body, 'msg-1')
  for (const headers of [
    {},
    { ...right, 'webhook-signature': 'v1,AAAA' },
    { ...right, 'webhook-id': 'msg-2' },
    signed(signingKey, { x: 2 }),
    signed(signingKey, body, 'msg-3', new Date(Date.now() - 6 * 60_000)),
    signed((await called({ signed: true })).signingKey, body),
  ])
    await expect(send(body, headers)).rejects.toMatchObject({ status: 401 })
  expect(await runsOf(trigger)).toEqual([])
  const answer = await send(body, right)
  expect(await send(body, right)).toEqual(answer)
  expect(await runsOf(trigger)).toHaveLength(1)
})

it('is told what to mend, and nothing is kept of what was refused', async () => {
  const count = { ...VESSEL, name: 'count', type: 'number' as const }
  const { trigger, send } = await called(
    {},
    { jobId: await makeJob({ inputs: [count] }), with: { count: { from: '/n' } } },
  )
  const id = { 'webhook-id': 'order-1' }
  await expect(send({ n: 'many' }, id)).rejects.toMatchObject({
    status: 422,
    detail: expect.stringContaining('not a number'),
  })
  await expect(send('{', id)).rejects.toMatchObject({ status: 400 })
  await expect(send({ n: 1 }, { 'webhook-id': 'x'.repeat(201) })).rejects.toMatchObject({ status: 400 })
  expect((await missedOf(trigger)).map(({ why }) => why)).toEqual(['inputs'])
  expect(await send({ n: 3 }, id)).toMatchObject({ started: true })
})

it('counts only what it is to, and says why nothing starts', async () => {
  const { trigger, send } = await called({ only: { '/kind': 'refund' } }, { until: '2020-01-01' })
  expect(await send({ kind: 'other' })).toMatchObject({ started: false, why: 'It is none of the calls that count.' })
  expect(await send({ kind: 'refund' })).toMatchObject({ started: false, why: 'Its days leave this one out.' })
  await changeTriggers(ADMIN, { ids: [trigger], change: { enabled: false } })
  expect(await send({ kind: 'refund' })).toMatchObject({ started: false, why: 'The trigger is switched off.' })
  expect(await runsOf(trigger)).toEqual([])
})

it('beyond its rate it says when to come again, and that call may', async () => {
  const { trigger, send } = await called({}, { atMost: { starts: 1, in: 'PT1H' } })
  await send({})
  await expect(send({}, { 'webhook-id': 'b' })).rejects.toMatchObject({
    status: 429,
    extra: { retryAfter: expect.any(Number) },
  })
  await execute(null, `UPDATE trigger_events SET decided_at = decided_at - interval '2 hours' WHERE trigger_id = $1`, [
    trigger,
  ])
  expect(await send({}, { 'webhook-id': 'b' })).toMatchObject({ started: true })
})

it('waits while starts are off, and the same call learns later what came of it', async () => {
  const { trigger, send } = await called()
  await switchStarts(ADMIN, { on: false, note: '' })
  expect(await send({}, { 'webhook-id': 'w' })).toMatchObject({ started: false, waits: true })
  expect(await send({}, { 'webhook-id': 'w' })).toMatchObject({ started: false, waits: true })
  await switchStarts(ADMIN, { on: true, note: '' })
  const { epoch } = await one<{ epoch: number }>(null, 'SELECT epoch FROM leadership')
  await decideEvents(epoch, Date.now())
  const [run] = await runsOf(trigger)
  expect(await send({}, { 'webhook-id': 'w' })).toMatchObject({ started: true, run: run?.id })
})

it('an address is known until it is renewed; who only looks cannot renew it, and no secret is kept openly', async () => {
  const { trigger, token, send, signingKey } = await called()
  expect(await callAddress(VIEWER, trigger)).toMatchObject({ address: { madeBy: ADMIN.name } })
  await expect(renewCall(OPERATOR, trigger)).rejects.toMatchObject({ status: 403 })
  const kept = JSON.stringify(await many(null, 'SELECT * FROM trigger_calls'))
  for (const secret of [token, signingKey, signingKey.slice(6)]) expect(kept).not.toContain(secret)
  await renewCall(ADMIN, trigger)
  await expect(send({})).rejects.toMatchObject({ status: 404 })
  await expect(renewCall(ADMIN, await makeTrigger())).rejects.toMatchObject({ code: 'not-now' })
})

it('what a call sent is kept with it unless it is large', async () => {
  const { trigger, send } = await called()
  await send({ small: 1 })
  await send({ large: 'x'.repeat(70_000) })
  expect(
    await many(null, `SELECT facts->'body' AS body FROM trigger_events WHERE trigger_id = $1 ORDER BY id`, [trigger]),
  ).toEqual([{ body: { small: 1 } }, { body: null }])
})
