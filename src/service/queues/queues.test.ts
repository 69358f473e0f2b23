import { randomUUID } from 'node:crypto'
import { compareItems } from '@/core/events/item'
import { PRIORITIES } from '@/core/dispatch/types'
import { ADMIN, freshDatabase, OPERATOR, VIEWER } from '@/store/database.test-help'
import { execute, many, one, transaction } from '@/store/db'
import { behindWalls } from '@/store/walls'
import { ended, lease, makeAgent, makeJob, report, started } from '@/service/fixtures.test-help'
import { giveUpLost } from '@/service/runs/open-runs'
import { takeLeadership } from '@/service/runs/leadership'
import { startRun, startSchema } from '@/service/runs/start'
import { addArea } from '@/service/work/areas'
import { actOnMany, againSchema, changeItem, changeItemSchema, postponeItem, putBack, withdrawItem } from './acts'
import { addItems, arriveSchema } from './arrive'
import { listQueues, tideOf } from './figures'
import { addFromFile } from './from-file'
import { answerItemRequest } from './item-requests'
import { itemPageSchema, listItems, oneItem, type ItemFull } from './items'
import { addQueue, oneQueue, queueSchema, removeQueue, saveQueue } from './queues'
import { purgeItems, releaseItems } from './takes'
import { watchQueues } from './watch-queues'

freshDatabase()

let areaId: number
let agentId: number
beforeAll(async () => {
  areaId = (await addArea(ADMIN, { title: 'Refund desk' })).id
  agentId = await makeAgent('a1', 64)
  await takeLeadership(randomUUID())
})

async function makeQueue(more: object = {}): Promise<{ id: number; slug: string }> {
  return addQueue(ADMIN, queueSchema.parse({ title: `Queue ${randomUUID().slice(0, 8)}`, areaId, ...more }))
}
const put = async (queueId: number, ...items: object[]): Promise<number[]> =>
  (await addItems(OPERATOR, queueId, arriveSchema.parse({ items }))).items
const item = (id: number): Promise<ItemFull> => oneItem(ADMIN, id)

interface Holding {
  readonly runId: number
  readonly attempt: number
  readonly token: number
  readonly ask: (
    ask: object,
    request?: string,
  ) => Promise<{ ok: boolean; answer?: { item?: number | null; try?: number }; why?: string }>
}
/** A run whose job may take from, and add to, a queue, under way on the agent. */
async function running(slug: string, add: string[] = []): Promise<Holding> {
  const job = await makeJob({ queues: { take: [slug], add } })
  const { id: runId } = await startRun(ADMIN, startSchema.parse({ jobId: job }))
  const its = await lease(runId, agentId)
  return {
    runId,
    ...its,
    ask: (ask, request = randomUUID()) => answerItemRequest(agentId, { ...its, request, ask }) as never,
  }
}

describe('taking', () => {
  it('goes by level, then due, then number; two at once never get one item', async () => {
    const queue = await makeQueue()
    const due = (minutes: number): string => new Date(Date.UTC(2027, 2, 9, 12, minutes)).toISOString()
    const given = PRIORITIES.flatMap((priority) => [
      { priority },
      { priority, due: due(5) },
      { priority, due: due(1) },
      { priority },
    ])
    const ids = await put(queue.id, ...given)
    const expected = given
      .map((one, i) => ({
        number: ids[i] as number,
        priority: one.priority,
        dueMs: 'due' in one && one.due ? Date.parse(one.due) : null,
      }))
      .sort(compareItems)
      .map(({ number }) => number)
    const holders = await Promise.all([1, 2, 3, 4].map(() => running(queue.slug)))
    const first = await holders[0]?.ask({ do: 'take', queue: queue.slug })
    expect(first?.answer?.item).toBe(expected[0])
    const all = await Promise.all(
      holders.flatMap(({ ask }) => [1, 2, 3, 4, 5].map(() => ask({ do: 'take', queue: queue.slug }))),
    )
    const got = all.flatMap(({ answer }) => answer?.item ?? [])
    expect(new Set(got).size).toBe(got.length)
    expect([...got, first?.answer?.item].sort()).toEqual([...ids].sort())
    expect(all.filter(({ answer }) => answer?.item === null)).toHaveLength(20 - got.length)
  })

  it('answers the same question with the same item, and does nothing twice', async () => {
    const queue = await makeQueue()
    await put(queue.id, { key: 'a' }, { key: 'b' })
    const run = await running(queue.slug, [queue.slug])
    const once = await run.ask({ do: 'take', queue: queue.slug }, 'request-1')
    expect(await run.ask({ do: 'take', queue: queue.slug }, 'request-1')).toEqual(once)
    const number = once.answer?.item as number
    expect(once.answer).toMatchObject({ key: 'a', try: 1 })
    const end = { do: 'done', item: number, result: { paid: 12.5 } }
    expect([await run.ask(end, 'request-2'), await run.ask(end, 'request-2')]).toEqual([
      { ok: true, answer: {} },
      { ok: true, answer: {} },
    ])
    // As another question it is refused: the take is over.
    expect(await run.ask(end, 'request-3')).toEqual({ ok: false, why: `This run does not hold item ${number}.` })
    const add = { do: 'add', queue: queue.slug, new: { key: 'c', data: { amount: 3 } } }
    const added = await run.ask(add, 'request-4')
    expect(await run.ask(add, 'request-4')).toEqual(added)
    expect(await item(number)).toMatchObject({ state: 'done', result: { paid: 12.5 }, tries: 0, runId: run.runId })
    expect((await listItems(ADMIN, queue.id, itemPageSchema.parse({}))).rows.map(({ key }) => key)).toEqual([
      'c',
      'b',
      'a',
    ])
  })

  it('is only for queues that the job names, for attempts that go on, and for what is held', async () => {
    const [queue, other] = [await makeQueue(), await makeQueue()]
    const [id] = await put(queue.id, {})
    await put(other.id, {})
    const [run, stranger] = [await running(queue.slug), await running(queue.slug)]
    expect((await run.ask({ do: 'take', queue: other.slug })).why).toMatch(/names no queue/)
    expect((await run.ask({ do: 'add', queue: queue.slug, new: {} })).why).toMatch(/names no queue/)
    expect((await run.ask({ do: 'take', queue: queue.slug })).answer?.item).toBe(id)
    expect((await stranger.ask({ do: 'done', item: id })).why).toMatch(/does not hold/)
    const forged = {
      attempt: run.attempt,
      token: run.token + 1,
      request: randomUUID(),
      ask: { do: 'take', queue: queue.slug },
    }
    expect(await answerItemRequest(agentId, forged)).toMatchObject({ ok: false })
    expect(await answerItemRequest(agentId + 1, { ...forged, token: run.token })).toMatchObject({ ok: false })
    expect((await run.ask({ do: 'dance' })).ok).toBe(false)
    expect((await run.ask({ do: 'reject', item: id, why: 'no such booking' })).ok).toBe(true)
    expect(await item(id as number)).toMatchObject({ state: 'rejected', reason: 'no such booking' })
    expect((await run.ask({ do: 'done', item: id, result: 'x'.repeat(300_000) })).why).toMatch(/at most 256 are kept/)
  })

  it('ends with its attempt, in whatever way, and a try is counted; what an ended one says changes nothing', async () => {
    const queue = await makeQueue({ tries: 2, delaySeconds: 0 })
    const [id] = (await put(queue.id, { key: 'k' })) as [number]
    const first = await running(queue.slug)
    await first.ask({ do: 'take', queue: queue.slug })
    await report(agentId, first, 1, started, ended(3))
    expect(await item(id)).toMatchObject({ state: 'waiting', tries: 1 })
    expect((await first.ask({ do: 'done', item: id })).ok).toBe(false)

    const second = await running(queue.slug)
    expect((await second.ask({ do: 'take', queue: queue.slug })).answer).toMatchObject({ item: id, try: 2 })
    await execute(null, `UPDATE attempts SET lease_until = now() - interval '1 minute' WHERE id = $1`, [second.attempt])
    await giveUpLost('expired', 'gone')
    expect(await item(id)).toMatchObject({ state: 'failed', tries: 2 })
    expect((await item(id)).story.map(({ kind, outcome }) => [kind, outcome])).toEqual([
      ['came', null],
      ['take', 'lost'],
      ['take', 'lost'],
    ])
  })

  it('put off for later counts no try, and waits until its time; a queue that is off gives nothing', async () => {
    const queue = await makeQueue()
    const [id] = (await put(queue.id, {})) as [number]
    const run = await running(queue.slug)
    await run.ask({ do: 'take', queue: queue.slug })
    await run.ask({ do: 'later', item: id, notBefore: new Date(Date.now() + 60_000).toISOString() })
    expect(await item(id)).toMatchObject({ state: 'waiting', tries: 0 })
    expect((await run.ask({ do: 'take', queue: queue.slug })).answer?.item).toBeNull()
    await releaseItems()
    expect((await run.ask({ do: 'take', queue: queue.slug })).answer?.item).toBeNull()
    await execute(null, `UPDATE items SET not_before = now() - interval '1 second' WHERE id = $1`, [id])
    await releaseItems()
    const full = await oneQueue(ADMIN, queue.id)
    const { id: _, slug: _s, area: _a, savedBy: _b, savedAt: _c, may: _m, ...content } = full
    await saveQueue(ADMIN, queue.id, { ...content, active: false })
    expect((await run.ask({ do: 'take', queue: queue.slug })).answer?.item).toBeNull()
    await saveQueue(ADMIN, queue.id, { ...content, version: content.version + 1, active: true })
    expect((await run.ask({ do: 'take', queue: queue.slug })).answer?.item).toBe(id)
  })
})

describe('arriving', () => {
  it('is all or none: bad data, keys that are held, keys that stand twice', async () => {
    const schema = { type: 'object', required: ['amount'], properties: { amount: { type: 'number', minimum: 0 } } }
    const queue = await makeQueue({ keys: 'open', schema })
    const good = { key: 'MS-1', data: { amount: 3 } }
    const [id] = (await put(queue.id, good)) as [number]
    await expect(put(queue.id, { key: 'MS-2', data: { amount: -1 } }, { key: 'MS-3', data: {} })).rejects.toMatchObject(
      {
        errors: [
          { path: 'items[0].data.amount', message: 'amount must be >= 0.' },
          { path: 'items[1].data', message: "The data must have required property 'amount'." },
        ],
      },
    )
    await expect(put(queue.id, { ...good, key: 'MS-4' }, good)).rejects.toThrow(
      'An item with the key MS-1 is there already.',
    )
    await expect(put(queue.id, { ...good, key: 'MS-5' }, { ...good, key: 'MS-5' })).rejects.toThrow(
      'stands there twice',
    )
    await expect(put(queue.id, { key: 'MS-6', data: { amount: 1, text: 'x'.repeat(270_000) } })).rejects.toThrow(
      /at most 256/,
    )
    expect((await listItems(ADMIN, queue.id, itemPageSchema.parse({}))).rows).toHaveLength(1)
    // Over, it holds its key no longer.
    await withdrawItem(OPERATOR, id, { why: 'twice' })
    const [again] = await put(queue.id, good)
    await expect(putBack(OPERATOR, id, {})).rejects.toThrow('An item with the key MS-1 is there already.')
    expect((await item(again as number)).sameKey.map((one) => [one.id, one.state])).toEqual([[id, 'withdrawn']])
  })

  it('with the key of a request happens once, however often it is asked for, and at once', async () => {
    const queue = await makeQueue()
    const ask = arriveSchema.parse({ items: [{}, {}], requestKey: 'call-7' })
    const first = await addItems(OPERATOR, queue.id, ask)
    expect(await addItems(OPERATOR, queue.id, ask)).toEqual(first)
    expect((await listItems(ADMIN, queue.id, itemPageSchema.parse({}))).rows).toHaveLength(2)
    await expect(addItems(VIEWER, queue.id, ask)).rejects.toMatchObject({ code: 'not-allowed' })
  })

  it.each([
    [{ type: 'nonsense' }, /no JSON Schema/],
    [{ type: 'string', pattern: '^(a+)+$' }, /could take for ever/],
    [{ type: 'string', pattern: '(' }, /no JSON Schema/],
  ])('a queue takes no schema such as %j', async (schema, why) => {
    await expect(makeQueue({ schema })).rejects.toThrow(why)
  })
})

describe('a file', () => {
  const bodyOf = (text: string) =>
    async function* (): AsyncGenerator<Uint8Array> {
      // In pieces that end anywhere.
      const bytes = new TextEncoder().encode(text)
      for (let at = 0; at < bytes.length; at += 7) yield bytes.subarray(at, at + 7)
    }
  const schema = {
    type: 'object',
    required: ['amount'],
    properties: { amount: { type: 'number' }, paid: { type: 'boolean' } },
  }

  it('of rows is added whole, with data as the schema has it; a dry run adds nothing', async () => {
    const queue = await makeQueue({ schema, keys: 'open' })
    const csv = '\uFEFFkey,amount,paid,note,priority\nMS-1,12.5,true,"a, b",high\nMS-2,3,,,\n'
    expect(await addFromFile(OPERATOR, queue.id, { format: 'csv', dryRun: 'yes' }, bodyOf(csv))).toEqual({
      rows: 2,
      added: 0,
      faults: [],
    })
    expect((await listItems(ADMIN, queue.id, itemPageSchema.parse({}))).rows).toEqual([])
    expect(await addFromFile(OPERATOR, queue.id, { format: 'csv' }, bodyOf(csv))).toEqual({
      rows: 2,
      added: 2,
      faults: [],
    })
    expect(
      (await listItems(ADMIN, queue.id, itemPageSchema.parse({}))).rows.map(({ key, data, priority }) => [
        key,
        data,
        priority,
      ]),
    ).toEqual([
      ['MS-2', { amount: 3 }, 'normal'],
      ['MS-1', { amount: 12.5, paid: true, note: 'a, b' }, 'high'],
    ])
    const lines = '{"key": "MS-3", "data": {"amount": 1}}\n\n{"data": {"amount": 2}, "priority": "low"}'
    expect(await addFromFile(OPERATOR, queue.id, { format: 'jsonl' }, bodyOf(lines))).toMatchObject({ added: 2 })
  })

  it('with bad rows is not added at all; each is told by its line', async () => {
    const queue = await makeQueue({ schema, keys: 'open' })
    await put(queue.id, { key: 'MS-9', data: { amount: 1 } })
    const bad = [
      '{"key": "MS-1", "data": {"amount": 1}}',
      'nonsense',
      '{"data": {}}',
      '{"key": "MS-1", "data": {"amount": 2}}',
      '{"who": 1}',
    ].join('\n')
    await expect(addFromFile(OPERATOR, queue.id, { format: 'jsonl' }, bodyOf(bad))).rejects.toMatchObject({
      detail: 'Nothing was added: 4 rows are not right.',
      errors: [
        { path: 'line 2', message: expect.stringContaining('It is not JSON') as string },
        { path: 'line 4', message: 'The key MS-1 stands in line 1 already.' },
        { path: 'line 5', message: expect.stringContaining('who') as string },
        { path: 'line 3', message: expect.stringContaining('amount') as string },
      ],
    })
    await expect(
      addFromFile(OPERATOR, queue.id, { format: 'jsonl' }, bodyOf('{"key": "MS-9", "data": {"amount": 1}}')),
    ).rejects.toMatchObject({
      errors: [{ path: 'line 1', message: 'An item with the key MS-9 is there already.' }],
    })
    const deep = `${'['.repeat(100_000)}${']'.repeat(100_000)}`
    expect(
      await addFromFile(OPERATOR, queue.id, { format: 'jsonl', dryRun: 'yes' }, bodyOf(`{"data": ${deep}}\n`)),
    ).toEqual({ rows: 1, added: 0, faults: [{ path: 'line 1', message: 'It nests deeper than 500.' }] })
    await expect(addFromFile(OPERATOR, queue.id, { format: 'csv' }, bodyOf('key,amount\n'))).rejects.toThrow('no row')
    await expect(addFromFile(OPERATOR, queue.id, { format: 'csv' }, bodyOf('key,amount\n"MS'))).rejects.toThrow(
      'no CSV',
    )
    await expect(addFromFile(VIEWER, queue.id, { format: 'csv' }, bodyOf('x'))).rejects.toMatchObject({
      code: 'not-allowed',
    })
    expect((await listItems(ADMIN, queue.id, itemPageSchema.parse({}))).rows).toHaveLength(1)
  })
})

describe('people', () => {
  it('mend and put back, change what waits, postpone, withdraw; each stands in the story', async () => {
    const queue = await makeQueue({
      schema: { type: 'object', properties: { booking: { type: 'string', pattern: '^MS-' } } },
    })
    const [id] = (await put(queue.id, { data: { booking: 'MS-41977' } })) as [number]
    const run = await running(queue.slug)
    await expect(changeItem(VIEWER, id, { version: 1 })).rejects.toMatchObject({ code: 'not-allowed' })
    await run.ask({ do: 'take', queue: queue.slug })
    await expect(withdrawItem(OPERATOR, id, { why: '' })).rejects.toThrow('It is taken')
    await run.ask({ do: 'reject', item: id, why: 'no booking of this number' })
    await expect(putBack(OPERATOR, id, againSchema.parse({ data: { booking: 'x' } }))).rejects.toThrow(
      /must match pattern/,
    )
    await putBack(OPERATOR, id, againSchema.parse({ data: { booking: 'MS-41978' }, priority: 'high' }))
    const back = await item(id)
    expect(back).toMatchObject({ state: 'waiting', data: { booking: 'MS-41978' }, priority: 'high', tries: 0 })
    await expect(changeItem(OPERATOR, id, { version: back.version - 1, priority: 'low' })).rejects.toMatchObject({
      code: 'conflict',
    })
    await changeItem(OPERATOR, id, { version: back.version, priority: 'low' })
    await postponeItem(OPERATOR, id, { notBefore: new Date(Date.now() + 60_000) })
    await withdrawItem(OPERATOR, id, { why: 'paid by hand' })
    expect((await item(id)).story.map(({ words }) => words.replace(/not before .*/, 'then'))).toEqual([
      'came by the operator',
      'taken by a1: no booking of this number',
      'put back by the operator: data, priority mended',
      'changed by the operator: priority',
      'postponed by the operator: then',
      'withdrawn by the operator: paid by hand',
    ])
  })

  it('do it with many: a dry run says what the real one does, and what it means nothing for is passed over', async () => {
    const queue = await makeQueue()
    const ids = await put(queue.id, ...Array.from({ length: 7 }, (_, i) => ({ key: `K-${i}` })))
    await withdrawItem(OPERATOR, ids[0] as number, { why: '' })
    const all = { filter: {}, act: { do: 'withdraw' as const, why: 'storm' } }
    expect(await actOnMany(OPERATOR, queue.id, { ...all, dryRun: true })).toEqual({ meant: 7, done: 6, held: 0 })
    expect(
      await actOnMany(OPERATOR, queue.id, {
        ids: ids.slice(0, 3),
        act: { do: 'priority', priority: 'urgent' },
        dryRun: false,
      }),
    ).toEqual({
      meant: 3,
      done: 2,
      held: 0,
    })
    expect(await actOnMany(OPERATOR, queue.id, { ...all, dryRun: false })).toEqual({ meant: 7, done: 6, held: 0 })
    expect(
      await actOnMany(OPERATOR, queue.id, {
        filter: { state: ['withdrawn'], key: 'K-1' },
        act: { do: 'again' },
        dryRun: false,
      }),
    ).toEqual({
      meant: 1,
      done: 1,
      held: 0,
    })
    const [row] = (await listItems(ADMIN, queue.id, itemPageSchema.parse({ state: 'waiting' }))).rows
    expect(row).toMatchObject({ key: 'K-1', priority: 'urgent' })
    await expect(actOnMany(OPERATOR, queue.id, { act: { do: 'again' }, dryRun: true })).rejects.toThrow('Say which')
  })

  it('take the key of an item away: another may have it then', async () => {
    const queue = await makeQueue({ keys: 'open' })
    const [id = 0] = await put(queue.id, { key: 'MS-7' })
    const { version } = await item(id)
    await changeItem(OPERATOR, id, changeItemSchema.parse({ key: null, version }))
    expect(await item(id)).toMatchObject({ key: null, state: 'waiting' })
    await put(queue.id, { key: 'MS-7' })
    await withdrawItem(OPERATOR, id, { why: '' })
    await putBack(OPERATOR, id, againSchema.parse({ key: 'MS-8' }))
    await withdrawItem(OPERATOR, id, { why: '' })
    await putBack(OPERATOR, id, againSchema.parse({ key: null }))
    expect((await item(id)).key).toBe(null)
  })

  it('put back together, two of one key do not both come to hold it, and what is held by another stays', async () => {
    const queue = await makeQueue({ keys: 'open' })
    const ids: number[] = []
    for (const key of ['MS-7', 'MS-7', 'MS-8', 'MS-9', null]) {
      ids.push(...(await put(queue.id, { key })))
      await withdrawItem(OPERATOR, ids.at(-1) as number, { why: '' })
    }
    await put(queue.id, { key: 'MS-8' })
    for (const dryRun of [true, false])
      expect(await actOnMany(OPERATOR, queue.id, { ids, act: { do: 'again' }, dryRun })).toEqual({
        meant: 5,
        done: 3,
        held: 2,
      })
    const { rows } = await listItems(ADMIN, queue.id, itemPageSchema.parse({ state: 'waiting' }))
    expect(rows.map(({ key }) => key).sort()).toEqual(['MS-7', 'MS-8', 'MS-9', null])
  })
})

describe('figures', () => {
  it('equal a recount; the tide knows what was open before', async () => {
    const queue = await makeQueue()
    const [a, b, c] = (await put(queue.id, {}, {}, { due: new Date(Date.now() - 1000).toISOString() }, {})) as number[]
    await execute(null, `UPDATE items SET created_at = now() - interval '3 hours' WHERE id = ANY($1)`, [[a, b]])
    const run = await running(queue.slug)
    await run.ask({ do: 'take', queue: queue.slug })
    await run.ask({ do: 'take', queue: queue.slug })
    expect((await listQueues(ADMIN)).find(({ id }) => id === queue.id)).toMatchObject({
      taken: 2,
      waiting: 2,
      takers: ['a1'],
    })
    const holding = await many<{ id: number }>(
      null,
      'SELECT item_id AS id FROM item_takes WHERE run_id = $1 AND ended_at IS NULL ORDER BY 1',
      [run.runId],
    )
    await run.ask({ do: 'done', item: holding[0]?.id })
    await run.ask({ do: 'reject', item: holding[1]?.id, why: 'no' })
    const row = (await listQueues(ADMIN)).find(({ id }) => id === queue.id)
    expect(row).toMatchObject({
      waiting: 2,
      ready: 2,
      taken: 0,
      rejected: 1,
      failed: 0,
      doneToday: 1,
      arrivedPerHour: 2,
      endedPerHour: 2,
      takers: [],
      emptyAt: null,
    })
    expect(row?.meanMs).toBeGreaterThan(0)
    // The one that is due was taken first.
    expect(row?.overdue).toBe(holding.some(({ id }) => id === c) ? 0 : 1)
    const { buckets } = await tideOf(ADMIN, queue.id, { over: 'day' })
    expect(buckets).toHaveLength(48)
    expect(buckets.at(-1)).toMatchObject({ done: 1, bad: 1, open: 2 })
    expect(buckets.reduce((sum, { came }) => sum + came, 0)).toBe(4)
    expect(buckets.at(-4)?.open).toBe(2)
    expect(buckets.at(-12)?.open).toBe(0)
  })

  it('that a person should know of open a matter, once, and close it when all is well', async () => {
    const queue = await makeQueue({ mostRejected: 0 })
    const [id] = (await put(queue.id, { due: new Date(Date.now() - 1000).toISOString() })) as [number]
    const run = await running(queue.slug)
    const open = async (): Promise<string[]> =>
      (
        await many<{ subject: string }>(
          null,
          `SELECT subject FROM matters WHERE subject LIKE $1 AND state <> 'closed' ORDER BY 1`,
          [`queue ${queue.id} %`],
        )
      ).map(({ subject }) => subject)
    await watchQueues()
    await watchQueues()
    expect(await open()).toEqual([`queue ${queue.id} overdue`])
    expect(await one(null, 'SELECT times FROM matters WHERE subject = $1', [`queue ${queue.id} overdue`])).toEqual({
      times: 1,
    })
    await run.ask({ do: 'take', queue: queue.slug })
    await run.ask({ do: 'reject', item: id, why: 'no' })
    await watchQueues()
    expect(await open()).toEqual([`queue ${queue.id} rejected`])
    await withdrawItem(OPERATOR, id, { why: '' })
    await watchQueues()
    expect(await open()).toEqual([])
  })

  it('of what is kept long enough nothing stays', async () => {
    const queue = await makeQueue({ keepDays: 1 })
    const [old, fresh] = (await put(queue.id, { key: 'a' }, { key: 'b' })) as [number, number]
    for (const id of [old, fresh]) await withdrawItem(OPERATOR, id, { why: '' })
    await execute(null, `UPDATE items SET ended_at = now() - interval '2 days' WHERE id = $1`, [old])
    await purgeItems()
    await expect(oneItem(ADMIN, old)).rejects.toThrow(/no item/)
    expect(await item(fresh)).toMatchObject({ state: 'withdrawn' })
  })
})

describe('a queue', () => {
  it('is removed only empty, and while no job names it; a job names only queues that there are', async () => {
    const queue = await makeQueue()
    await expect(makeJob({ queues: { take: ['nowhere'], add: [] } })).rejects.toThrow('There is no work queue nowhere')
    const [id] = (await put(queue.id, {})) as [number]
    await expect(removeQueue(ADMIN, queue.id)).rejects.toThrow('Items wait in it')
    await withdrawItem(OPERATOR, id, { why: '' })
    await makeJob({ queues: { take: [], add: [queue.slug] } }, `Adds ${queue.slug}`)
    await expect(removeQueue(ADMIN, queue.id)).rejects.toThrow(`The job Adds ${queue.slug} names it.`)
    await execute(null, 'UPDATE jobs SET deleted_at = now() WHERE title = $1', [`Adds ${queue.slug}`])
    await removeQueue(ADMIN, queue.id)
    await expect(oneQueue(ADMIN, queue.id)).rejects.toThrow(/no queue/)
  })

  it('changes its rule about keys only where they could be kept', async () => {
    const queue = await makeQueue()
    const [id] = (await put(queue.id, { key: 'a' }, { key: 'a' })) as [number]
    const { id: _, slug: _s, area: _a, savedBy: _b, savedAt: _c, may: _m, ...content } = await oneQueue(ADMIN, queue.id)
    await expect(saveQueue(ADMIN, queue.id, { ...content, keys: 'open' })).rejects.toThrow(
      'More than one item has the key a',
    )
    await withdrawItem(OPERATOR, id, { why: '' })
    await saveQueue(ADMIN, queue.id, { ...content, keys: 'open' })
    await expect(put(queue.id, { key: 'a' })).rejects.toThrow('is there already')
    await expect(saveQueue(ADMIN, queue.id, { ...content, title: 'Mine' })).rejects.toMatchObject({ code: 'conflict' })
    expect(
      (await one<{ n: number }>(null, 'SELECT count(*)::int AS n FROM item_keys WHERE queue_id = $1', [queue.id])).n,
    ).toBe(1)
    await transaction((tx) => execute(tx, 'SELECT 1'))
  })
})

describe('walls', () => {
  it('keep a queue of a closed area, its items and their story from whoever is no member', async () => {
    const area = await addArea(ADMIN, { title: `Closed ${randomUUID()}` })
    await execute(null, 'UPDATE areas SET closed = true WHERE id = $1', [area.id])
    const queue = await makeQueue({ areaId: area.id })
    const [id] = (await put0(queue.id)) as [number]
    const { id: personId } = await one<{ id: number }>(
      null,
      `INSERT INTO people (email, name, role) VALUES ($1, 'Petra', 'viewer') RETURNING id`,
      [`${randomUUID()}@marram.example`],
    )
    const petra = {
      ...VIEWER,
      id: personId,
      areas: { isWalled: true, granted: 'none' as const, atMost: 'manage' as const },
    }
    await execute(null, `INSERT INTO matters (kind, subject, title) VALUES ('trouble', $1, 'Too many wait')`, [
      `queue ${queue.id} grows`,
    ])
    const told = (): Promise<object[]> =>
      many(null, 'SELECT 1 FROM matters WHERE subject = $1', [`queue ${queue.id} grows`])
    expect(await told()).toHaveLength(1)
    await behindWalls(personId, async () => {
      expect(await told()).toEqual([])
      expect((await listQueues(petra)).map((row) => row.id)).not.toContain(queue.id)
      await expect(oneQueue(petra, queue.id)).rejects.toThrow(/no queue/)
      await expect(oneItem(petra, id)).rejects.toThrow(/no item/)
      await expect(listItems(petra, queue.id, itemPageSchema.parse({}))).rejects.toThrow(/no queue/)
      await expect(tideOf(petra, queue.id, { over: 'day' })).rejects.toThrow(/no queue/)
    })
    await expect(
      addItems({ ...petra, role: 'operator' }, queue.id, arriveSchema.parse({ items: [{}] })),
    ).rejects.toThrow(/no queue/)
    await expect(withdrawItem({ ...petra, role: 'operator' }, id, { why: '' })).rejects.toThrow(/no item/)
  })
})
const put0 = async (queueId: number): Promise<number[]> =>
  (await addItems(ADMIN, queueId, arriveSchema.parse({ items: [{}] }))).items
