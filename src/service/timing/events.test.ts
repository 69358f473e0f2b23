import { randomUUID } from 'node:crypto'
import { flowDefinitionSchema } from '@/core/work/flow'
import type { Input } from '@/core/work/inputs'
import { MOST_CHAINED } from '@/core/events/decide'
import { ADMIN, freshDatabase, OPERATOR } from '@/store/database.test-help'
import { execute, many, one } from '@/store/db'
import { ended, lease, makeAgent, makeJob, report, started, stateOf } from '@/service/fixtures.test-help'
import { addItems, arriveSchema } from '@/service/queues/arrive'
import { addQueue, oneQueue, queueSchema, saveQueue } from '@/service/queues/queues'
import { importBundle } from '@/service/exchange/bundle-in'
import { exportBundle } from '@/service/exchange/bundle-out'
import { takeLeadership } from '@/service/runs/leadership'
import { startRun, startSchema } from '@/service/runs/start'
import { addArea } from '@/service/work/areas'
import { addFlow } from '@/service/work/flows'
import { oneJob } from '@/service/work/work'
import { decideEvents, purgeEvents, startBacklogs, stopHarmful } from './events'
import { switchStarts } from './starts'
import { makeTrigger, missedOf } from './timing.test-help'
import { changeTriggers, oneTrigger, saveTrigger } from './triggers'

freshDatabase()

const AMOUNT: Input = { name: 'amount', title: '', type: 'number', options: [], default: null, ask: true }

let agentId: number
let areaId: number
beforeAll(async () => {
  areaId = (await addArea(ADMIN, { title: 'Refund desk' })).id
  agentId = await makeAgent('a1', 64)
  await takeLeadership(randomUUID())
})

const epoch = async (): Promise<number> => (await one<{ epoch: number }>(null, 'SELECT epoch FROM leadership')).epoch
/** What the leading engine does about events at this instant. */
async function happen(now: string | number = Date.now()): Promise<number> {
  const nowMs = typeof now === 'string' ? Date.parse(now) : now
  return (await decideEvents(await epoch(), nowMs)).started + (await startBacklogs(await epoch(), nowMs))
}

interface Made {
  readonly id: number
  readonly state: string
  readonly inputs: Record<string, string>
  readonly event: { readonly facts: Record<string, unknown> } | null
}
const runsOf = (trigger: number): Promise<Made[]> =>
  many<Made>(
    null,
    `SELECT r.id, r.state, r.inputs, to_jsonb(e) AS event FROM runs r LEFT JOIN trigger_events e ON e.id = r.event_id WHERE r.trigger_id = $1 ORDER BY r.id`,
    [trigger],
  )
const whyOf = async (trigger: number): Promise<[string, number][]> =>
  (await missedOf(trigger)).map(({ why, times }) => [why, times])
const matterOf = (subject: string): Promise<{ title: string; state: string }[]> =>
  many(null, 'SELECT title, state FROM matters WHERE subject = $1', [subject])
const slugOf = async (id: number): Promise<string> => (await oneJob(ADMIN, id)).slug

/** A run of the job that ends so. */
async function runOf(jobId: number, exitCode = 0, outputs: Record<string, string> = {}): Promise<number> {
  const { id } = await startRun(ADMIN, startSchema.parse({ jobId }))
  await end(id, exitCode, outputs)
  return id
}
async function end(id: number, exitCode = 0, outputs: Record<string, string> = {}): Promise<void> {
  await report(agentId, await lease(id, agentId), 1, started, { ...ended(exitCode), outputs })
}

describe('after another run', () => {
  it('what waits for its end starts once, with what it handed on', async () => {
    const first = await makeJob({}, 'Count the tills')
    const second = await makeJob({ inputs: [AMOUNT] })
    const after = { work: await slugOf(first) }
    const well = await makeTrigger({ time: undefined, jobId: second, after, with: { amount: '${total}' } })
    const badly = await makeTrigger({ time: undefined, after: { ...after, when: 'failed' } })
    const always = await makeTrigger({ time: undefined, after: { ...after, when: 'ended' } })
    const off = await makeTrigger({ time: undefined, after, enabled: false })
    expect((await oneTrigger(ADMIN, well)).says).toBe('after Count the tills has succeeded')

    const run = await runOf(first, 0, { total: '81.5' })
    expect(await happen()).toBe(2)
    expect(await happen()).toBe(0)
    expect(await runsOf(well)).toEqual([expect.objectContaining({ state: 'ready', inputs: { amount: '81.5' } })])
    expect((await runsOf(well))[0]?.event?.facts).toEqual({ run, state: 'succeeded' })

    await runOf(first, 3)
    expect(await happen()).toBe(2)
    expect(
      [await runsOf(well), await runsOf(badly), await runsOf(always), await runsOf(off)].map((all) => all.length),
    ).toEqual([1, 1, 2, 0])
  })

  it('a value that did not come is a start that is not made, and says so', async () => {
    const first = await makeJob()
    const trigger = await makeTrigger({
      time: undefined,
      jobId: await makeJob({ inputs: [AMOUNT] }),
      after: { work: await slugOf(first) },
      with: { amount: '${total}' },
    })
    await runOf(first)
    expect(await happen()).toBe(0)
    expect(await whyOf(trigger)).toEqual([['inputs', 1]])
    expect((await missedOf(trigger))[0]?.detail).toContain('no value called total')
  })

  it('a flow’s steps count, too; and what would start itself again is refused with the way', async () => {
    const step = await makeJob({}, 'Close the books')
    const flow = await addFlow(ADMIN, {
      title: 'Evening',
      notes: '',
      areaId,
      active: true,
      definition: flowDefinitionSchema.parse({ steps: [{ id: 'a', job: await slugOf(step) }] }),
    })
    await expect(
      makeTrigger({ time: undefined, jobId: flow.id, after: { work: await slugOf(step) } }, 'Again'),
    ).rejects.toMatchObject({
      errors: [
        {
          path: 'definition.after.work',
          message: 'This would start itself again without end: Close the books → (Again) → Evening → Close the books.',
        },
      ],
    })
    await expect(makeTrigger({ time: undefined, after: { work: 'nothing' } })).rejects.toMatchObject({
      errors: [{ path: 'definition.after.work', message: 'There is no job and no flow nothing.' }],
    })
  })

  it('counts how many led to each other, and cuts a chain that is too long', async () => {
    const jobs = [await makeJob(), await makeJob(), await makeJob()] as const
    const [one, two] = [
      await makeTrigger({ time: undefined, jobId: jobs[1], after: { work: await slugOf(jobs[0]) } }),
      await makeTrigger({ time: undefined, jobId: jobs[2], after: { work: await slugOf(jobs[1]) } }, 'Third'),
    ]
    await runOf(jobs[0])
    await happen()
    await end((await runsOf(one))[0]?.id ?? 0)
    expect(await many(null, 'SELECT depth FROM trigger_events WHERE trigger_id = $1', [two])).toEqual([{ depth: 2 }])
    await execute(null, 'UPDATE trigger_events SET depth = $2 WHERE trigger_id = $1', [two, MOST_CHAINED + 1])
    expect(await happen()).toBe(0)
    expect(await whyOf(two)).toEqual([['chain', 1]])
    expect(await matterOf(`trigger ${two} chain`)).toEqual([
      { title: 'Runs lead to each other without end: the chain was cut at Third', state: 'open' },
    ])
  })
})

describe('when and how often', () => {
  async function told(more: object): Promise<number> {
    const first = await makeJob()
    const trigger = await makeTrigger({ time: undefined, after: { work: await slugOf(first) }, ...more })
    await runOf(first)
    return trigger
  }

  it('outside its times of the day it waits, and starts when they begin', async () => {
    const trigger = await told({ between: { earliest: '06:00', latest: '22:00' } })
    const night = new Date()
    night.setUTCHours(23, 30, 0, 0)
    expect(await happen(night.getTime())).toBe(0)
    expect(await happen(night.getTime() + 3_600_000)).toBe(0)
    expect(await whyOf(trigger)).toEqual([])
    expect(await happen(night.getTime() + 8 * 3_600_000)).toBe(1)
    expect(await runsOf(trigger)).toHaveLength(1)
  })

  it('what waits for a time of the day starts at once when that is changed', async () => {
    const trigger = await told({ between: { earliest: '00:00', latest: '00:01' } })
    const noon = new Date()
    noon.setUTCHours(12, 0, 0, 0)
    expect(await happen(noon.getTime())).toBe(0)
    const { title, notes, jobId, enabled, definition, version } = await oneTrigger(ADMIN, trigger)
    const { between: _, ...open } = definition
    await saveTrigger(ADMIN, trigger, { title, notes, jobId, enabled, version, sure: true, definition: open })
    expect(await happen(noon.getTime() + 1)).toBe(1)
  })

  it('a change to many leaves out what means nothing for one of them', async () => {
    const queue = await addQueue(ADMIN, queueSchema.parse({ title: `Queue ${randomUUID().slice(0, 8)}`, areaId }))
    const first = await makeJob()
    const ids = [
      await makeTrigger(),
      await makeTrigger({ time: undefined, after: { work: await slugOf(first) } }),
      await makeTrigger({ time: undefined, backlog: { queue: queue.slug } }),
    ]
    await changeTriggers(ADMIN, { ids, change: { overlap: 'skip', lateStart: 'PT5M', priority: 'low' } })
    const now = await Promise.all(ids.map(async (id) => (await oneTrigger(ADMIN, id)).definition))
    expect(now.map(({ overlap, lateStart, priority }) => [overlap, lateStart, priority])).toEqual([
      ['skip', 'PT5M', 'low'],
      ['skip', undefined, 'low'],
      ['wait', undefined, 'low'],
    ])
  })

  it('on days that are left out it starts nothing, and says so', async () => {
    const trigger = await told({ until: '2020-01-01' })
    expect(await happen()).toBe(0)
    expect(await whyOf(trigger)).toEqual([['day', 1]])
  })

  it('beyond its rate it starts nothing, noted once for the stretch, and a person is told', async () => {
    const first = await makeJob()
    const atMost = { starts: 2, in: 'PT1H' }
    const trigger = await makeTrigger({
      time: undefined,
      after: { work: await slugOf(first) },
      overlap: 'start',
      atMost,
    })
    for (let i = 0; i < 3; i++) await runOf(first)
    expect(await happen()).toBe(2)
    await runOf(first)
    expect(await happen()).toBe(0)
    expect(await whyOf(trigger)).toEqual([['rate', 2]])
    expect(await matterOf(`trigger ${trigger} rate`)).toEqual([expect.objectContaining({ state: 'open' })])
    await runOf(first)
    expect(await happen(Date.now() + 3_700_000)).toBe(1)
    expect(await matterOf(`trigger ${trigger} rate`)).toEqual([expect.objectContaining({ state: 'closed' })])
  })

  it('while starts are off it waits', async () => {
    await switchStarts(ADMIN, { on: false, note: '' })
    const trigger = await told({})
    expect(await happen()).toBe(0)
    await switchStarts(ADMIN, { on: true, note: '' })
    expect(await happen()).toBe(1)
    expect(await runsOf(trigger)).toHaveLength(1)
  })

  it('switched off meanwhile, what was told before starts nothing any more', async () => {
    const trigger = await told({})
    await changeTriggers(ADMIN, { ids: [trigger], change: { enabled: false } })
    expect(await happen()).toBe(0)
    expect(await whyOf(trigger)).toEqual([['off', 1]])
  })

  it('one that cannot be decided keeps none of the others', async () => {
    const [bad, good] = [await told({}), await told({})]
    await execute(null, `UPDATE trigger_events SET facts = '{}' WHERE trigger_id = $1`, [bad])
    expect(await happen()).toBe(1)
    expect([await whyOf(bad), (await runsOf(good)).length]).toEqual([[['fault', 1]], 1])
    expect(await matterOf(`trigger ${bad}`)).toHaveLength(1)
  })

  it('one whose runs fail one after the other switches itself off; on again it counts from nought', async () => {
    const first = await makeJob()
    const trigger = await makeTrigger(
      { time: undefined, after: { work: await slugOf(first) }, overlap: 'start', stopAfter: 3 },
      'Harmful',
    )
    const go = async (exitCode: number): Promise<void> => {
      await runOf(first)
      await happen()
      const run = (await runsOf(trigger)).at(-1)
      if (run?.state === 'ready') await end(run.id, exitCode)
      await stopHarmful(await epoch())
    }
    for (const exitCode of [1, 1, 0, 1, 1]) await go(exitCode)
    expect((await oneTrigger(ADMIN, trigger)).enabled).toBe(true)
    await go(1)
    expect(await oneTrigger(ADMIN, trigger)).toMatchObject({ enabled: false, savedBy: 'Bugle' })
    expect(await matterOf(`trigger ${trigger} stopped`)).toEqual([
      { title: 'Harmful has switched itself off', state: 'open' },
    ])
    await changeTriggers(ADMIN, { ids: [trigger], change: { enabled: true } })
    expect(await matterOf(`trigger ${trigger} stopped`)).toEqual([expect.objectContaining({ state: 'closed' })])
    await go(1)
    expect((await oneTrigger(ADMIN, trigger)).enabled).toBe(true)
  })

  it('what is decided is kept as long as its runs, and for ninety days', async () => {
    const trigger = await told({ until: '2020-01-01' })
    await happen()
    await purgeEvents()
    const count = (): Promise<unknown> =>
      one(null, 'SELECT count(*)::int AS n FROM trigger_events WHERE trigger_id = $1', [trigger])
    expect(await count()).toEqual({ n: 1 })
    await execute(
      null,
      `UPDATE trigger_events SET decided_at = now() - interval '91 days' WHERE decided_at IS NOT NULL`,
    )
    const withRuns = await one<{ n: number }>(null, 'SELECT count(DISTINCT event_id)::int AS n FROM runs')
    await purgeEvents()
    expect(await count()).toEqual({ n: 0 })
    expect(await one(null, 'SELECT count(*)::int AS n FROM trigger_events WHERE decided_at IS NOT NULL')).toEqual(
      withRuns,
    )
  })
})

describe('a backlog', () => {
  async function refunds(rule: object = {}, more: object = {}): Promise<{ queue: number; trigger: number }> {
    const { id, slug } = await addQueue(
      ADMIN,
      queueSchema.parse({ title: `Queue ${randomUUID().slice(0, 8)}`, areaId }),
    )
    const backlog = { queue: slug, atLeast: 3, perRun: 2, most: 3, ...rule }
    return { queue: id, trigger: await makeTrigger({ time: undefined, backlog, ...more }) }
  }
  const put = (queue: number, n: number): Promise<unknown> =>
    addItems(OPERATOR, queue, arriveSchema.parse({ items: Array.from({ length: n }, () => ({ data: {} })) }))

  it('starts as many runs as what waits calls for, no more for those that are open, and one for the rest', async () => {
    const { queue, trigger } = await refunds()
    await put(queue, 2)
    expect(await happen()).toBe(0)
    await put(queue, 1)
    expect(await happen()).toBe(2)
    expect(await happen()).toBe(0)
    expect((await runsOf(trigger)).map(({ event }) => event?.facts.waiting)).toEqual([3, 3])
    await put(queue, 20)
    expect(await happen()).toBe(1)
    for (const { id } of await runsOf(trigger)) await end(id)
    expect(await happen()).toBe(3)
    expect(
      new Set(
        (await many<{ key: string }>(null, 'SELECT key FROM trigger_events WHERE trigger_id = $1', [trigger])).map(
          ({ key }) => key,
        ),
      ).size,
    ).toBe(6)
  })

  it('does not wait for ever with less: one that came long ago is enough', async () => {
    const { queue, trigger } = await refunds({ orOldest: 'PT30M' })
    await put(queue, 1)
    expect(await happen()).toBe(0)
    expect(await happen(Date.now() + 31 * 60_000)).toBe(1)
    expect(await runsOf(trigger)).toHaveLength(1)
  })

  it('of a queue that is off calls for nothing', async () => {
    const { queue, trigger } = await refunds()
    const { version, ...rest } = await oneQueue(ADMIN, queue)
    const content = queueSchema.parse(
      Object.fromEntries(Object.entries(rest).filter(([key]) => key in queueSchema.shape)),
    )
    await saveQueue(ADMIN, queue, { ...content, active: false, version } as never)
    await put(queue, 5)
    expect(await happen()).toBe(0)
    expect(await runsOf(trigger)).toEqual([])
  })

  it('whose start cannot be made is noted once, however often it is looked at, and leaves the others alone', async () => {
    const { queue, trigger } = await refunds(
      {},
      { jobId: await makeJob({ inputs: [AMOUNT] }), with: { amount: 'x${waiting}' } },
    )
    const good = await refunds()
    await put(queue, 5)
    await put(good.queue, 5)
    const now = Date.now()
    expect(await happen(now)).toBe(3)
    for (let i = 1; i < 5; i++) await happen(now + i * 31_000)
    expect(await whyOf(trigger)).toEqual([['inputs', 1]])
    expect(await many(null, 'SELECT FROM trigger_events WHERE trigger_id = $1', [trigger])).toEqual([])
  })

  it('refuses a queue that is not there', async () => {
    await expect(makeTrigger({ time: undefined, backlog: { queue: 'nowhere' } })).rejects.toMatchObject({
      errors: [{ path: 'definition.backlog.queue', message: 'There is no queue nowhere.' }],
    })
  })

  it('keeps each of its runs to itself: a run that fails is no more than that', async () => {
    const { queue, trigger } = await refunds({ atLeast: 1, most: 1 })
    await put(queue, 1)
    await happen()
    const [run] = await runsOf(trigger)
    await end(run?.id ?? 0, 1)
    expect(await stateOf(run?.id ?? 0)).toMatchObject({ state: 'failed' })
    expect(await happen()).toBe(1)
  })
})

it('what a server exports of them is taken back without a change, and elsewhere with one', async () => {
  const triggers = [
    { id: 'b', backlog: { queue: 'parcels', atLeast: 5, orOldest: 'PT30M', perRun: 2, most: 3 }, stopAfter: 2 },
    { id: 'm', measure: { of: { queue: 'parcels' }, name: 'waiting', above: 90, times: 3, clear: 80 } },
    { id: 'f', file: { on: { agent: 'a1' }, path: '/in/*.csv', settled: 'PT1M', present: true } },
    { id: 'c', call: { only: { '/x': 1 }, signed: true }, with: { name: { from: '/name' } } },
    { id: 'a', after: { work: 'carry', when: 'failed' }, with: { name: '#${run}' }, atMost: { starts: 2, in: 'PT1H' } },
  ].map((trigger) => ({
    title: trigger.id,
    start: { job: 'tell' },
    between: { earliest: '06:00', latest: '22:00' },
    ...trigger,
  }))
  const command = { kind: 'command', command: 'true', agent: 'a1' }
  const file = {
    format: 'bugle-bundle/1',
    queues: [{ id: 'parcels', title: 'Parcels' }],
    jobs: [
      { id: 'tell', ...command, inputs: [{ name: 'name', type: 'text', default: 'x' }] },
      { id: 'carry', ...command },
    ],
    triggers,
  }
  const taken = await importBundle(ADMIN, file, false)
  expect(taken.lines.filter(({ kind, what }) => kind === 'trigger' && what === 'added')).toHaveLength(5)
  const out = await exportBundle(ADMIN)
  const mine = (out.triggers ?? []).filter(({ id }) => triggers.some((trigger) => trigger.id === id))
  for (const trigger of triggers) expect(mine.find(({ id }) => id === trigger.id)).toMatchObject(trigger)
  expect((await importBundle(ADMIN, out, false)).lines.filter(({ what }) => what !== 'same')).toEqual([])
})
