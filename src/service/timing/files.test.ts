import { randomUUID } from 'node:crypto'
import type { FoundFile } from '@/agent/protocol'
import type { Input } from '@/core/work/inputs'
import { ADMIN, freshDatabase } from '@/store/database.test-help'
import { execute, many, one } from '@/store/db'
import { makeAgent, makeJob } from '@/service/fixtures.test-help'
import { takeLeadership } from '@/service/runs/leadership'
import { decideEvents } from './events'
import { noteWatched, storeFound, watchesOf } from './files'
import { makeTrigger } from './timing.test-help'
import { changeTriggers, oneTrigger, saveTrigger } from './triggers'

freshDatabase()

let agentId: number
let other: number
beforeAll(async () => {
  agentId = await makeAgent('a1')
  other = await makeAgent('a2')
  await takeLeadership(randomUUID())
})

const input = (name: string): Input => ({ name, title: '', type: 'text', options: [], default: null, ask: true })
const FILE = { on: { agent: 'a1' }, path: '/in/till-*.csv' }
const fileTrigger = (file: object = {}, more: object = {}): Promise<number> =>
  makeTrigger({ time: undefined, file: { ...FILE, ...file }, overlap: 'start', ...more })
const found = (trigger: number, name: string, more: Partial<FoundFile> = {}): FoundFile => ({
  trigger,
  path: `/in/${name}`,
  size: 10,
  modified: Date.UTC(2027, 2, 9, 2),
  ...more,
})
async function decide(): Promise<number> {
  const { epoch } = await one<{ epoch: number }>(null, 'SELECT epoch FROM leadership')
  return (await decideEvents(epoch, Date.now())).started
}
const runsOf = (trigger: number): Promise<{ inputs: Record<string, string> }[]> =>
  many(null, 'SELECT inputs FROM runs WHERE trigger_id = $1 ORDER BY id', [trigger])

it('a file that is told starts one run, however often it is told, with what it is', async () => {
  const inputs = ['file', 'folder', 'size', 'modified', 'till'].map(input)
  const trigger = await fileTrigger({}, { jobId: await makeJob({ inputs }), with: { till: 'from ${file}' } })
  const files = [found(trigger, 'till-1.csv')]
  expect(await storeFound(agentId, files)).toEqual(files)
  expect(await storeFound(agentId, files)).toEqual(files)
  expect(await decide()).toBe(1)
  expect(await storeFound(agentId, files)).toEqual(files)
  expect(await decide()).toBe(0)
  expect(await runsOf(trigger)).toEqual([
    {
      inputs: {
        file: '/in/till-1.csv',
        folder: '/in',
        size: '10',
        modified: '2027-03-09T02:00:00.000Z',
        till: 'from /in/till-1.csv',
      },
    },
  ])
  // Changed it is another one.
  await storeFound(agentId, [found(trigger, 'till-1.csv', { size: 11 })])
  expect(await decide()).toBe(1)
})

it('a job that asks for none of it is started all the same', async () => {
  const trigger = await fileTrigger()
  await storeFound(agentId, [found(trigger, 'till-1.csv')])
  expect(await decide()).toBe(1)
  expect(await runsOf(trigger)).toEqual([{ inputs: {} }])
})

it('an agent tells only of what it is to look for: all else leads to nothing, and is not told again', async () => {
  const [trigger, off] = [await fileTrigger(), await fileTrigger({}, { enabled: false })]
  const wrong = [
    found(trigger, '../etc/till-1.csv'),
    found(trigger, 'other.csv'),
    found(trigger, '.till-1.csv'),
    found(trigger, 'till-1.csv', { path: '/elsewhere/till-1.csv' }),
    found(off, 'till-1.csv'),
    found(await makeTrigger(), 'till-1.csv'),
    found(999_999, 'till-1.csv'),
  ]
  expect(await storeFound(agentId, wrong)).toEqual(wrong)
  expect(await storeFound(other, [found(trigger, 'till-1.csv')])).toHaveLength(1)
  expect(await decide()).toBe(0)
  expect(await many(null, 'SELECT FROM trigger_events WHERE trigger_id = ANY($1)', [[trigger, off]])).toEqual([])
})

it('more than can be decided is told again later', async () => {
  const trigger = await fileTrigger()
  await execute(
    null,
    `INSERT INTO trigger_events (trigger_id, key, at, facts, not_before) SELECT $1, 'k' || n, now(), '{}', now() + interval '1 day' FROM generate_series(1, 5000) n`,
    [trigger],
  )
  const ready = await fileTrigger()
  expect(await storeFound(agentId, [found(trigger, 'till-1.csv'), found(ready, 'till-1.csv')])).toEqual([
    found(ready, 'till-1.csv'),
  ])
})

describe('what agents are to look for', () => {
  it('is what triggers that are on say, since when they do', async () => {
    const trigger = await fileTrigger({ settled: 'PT1M', present: true })
    const mine = async (): Promise<object | undefined> =>
      (await watchesOf([agentId, other])).get(agentId)?.find((each) => each.trigger === trigger)
    expect(await mine()).toEqual({
      trigger,
      path: '/in/till-*.csv',
      settledSeconds: 60,
      present: true,
      since: expect.any(Number),
    })
    expect((await watchesOf([other])).get(other)).toEqual([])
    const first = (await mine()) as { since: number }
    const save = async (change: object): Promise<void> => {
      const { title, notes, jobId, enabled, definition, version } = await oneTrigger(ADMIN, trigger)
      await saveTrigger(ADMIN, trigger, {
        title,
        notes,
        jobId,
        enabled,
        version,
        sure: true,
        definition: { ...definition, ...change },
      })
    }
    await save({ priority: 'low' })
    expect(await mine()).toEqual(first)
    await save({ file: { ...FILE, settled: 'PT5S', present: true } })
    expect((await mine()) as { since: number }).toMatchObject({ settledSeconds: 5 })
    expect(((await mine()) as { since: number }).since).toBeGreaterThan(first.since)
    await changeTriggers(ADMIN, { ids: [trigger], change: { enabled: false } })
    expect(await mine()).toBeUndefined()
  })

  it('where one cannot look a person is told, until it can, or nobody looks any more', async () => {
    const [trigger, second] = [await fileTrigger(), await fileTrigger()]
    const states = async (): Promise<string[]> =>
      (
        await many<{ state: string }>(null, `SELECT state FROM matters WHERE subject = ANY($1) ORDER BY subject`, [
          [`trigger ${trigger} files`, `trigger ${second} files`],
        ])
      ).map(({ state }) => state)
    const fault = 'There is no folder /in.'
    await noteWatched(agentId, [
      { trigger, fault },
      { trigger: second, fault },
      { trigger: 999_999, fault },
    ])
    expect(await states()).toEqual(['open', 'open'])
    // Said again after each welcome, it is no second trouble.
    await noteWatched(agentId, [{ trigger, fault }])
    expect(await one(null, 'SELECT times FROM matters WHERE subject = $1', [`trigger ${trigger} files`])).toEqual({
      times: 1,
    })
    await noteWatched(other, [{ trigger, fault: null }])
    expect(await states()).toEqual(['open', 'open'])
    await noteWatched(agentId, [{ trigger, fault: null }])
    await changeTriggers(ADMIN, { ids: [second], change: { remove: true } })
    expect(await states()).toEqual(['closed', 'closed'])
  })
})
