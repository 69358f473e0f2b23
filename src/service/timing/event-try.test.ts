import type { Input } from '@/core/work/inputs'
import { ADMIN, freshDatabase } from '@/store/database.test-help'
import { many } from '@/store/db'
import { makeJob } from '@/service/fixtures.test-help'
import { tryEvent, trySchema, type Tried } from './event-try'

freshDatabase()

const input = (name: string): Input => ({ name, title: '', type: 'text', options: [], default: null, ask: true })
let jobs: { plain: number; file: number; named: number }
beforeAll(async () => {
  jobs = {
    plain: await makeJob(),
    file: await makeJob({ inputs: [input('file'), input('folder')] }),
    named: await makeJob({ inputs: [input('name')] }),
  }
})
const NOON = '2027-03-09T12:00:00Z'
const tried = (job: keyof typeof jobs, definition: object, event: object, at = NOON): Promise<Tried> =>
  tryEvent(
    ADMIN,
    trySchema.parse({ jobId: jobs[job], definition: { zone: 'Europe/London', ...definition }, event, at }),
  )

const backlog = { queue: 'refunds', atLeast: 5, orOldest: 'PT30M', perRun: 4, most: 3 }
const file = { on: { agent: 'a1' }, path: '/in/till-*.csv' }
const measure = { of: { agent: 'a1' }, name: 'memory', above: 90, times: 2 }
const after = { work: 'close', when: 'failed' }
const call = { only: { '/type': 'seen' } }
const name = { name: '${total}' }

it.each<[string, keyof typeof jobs, object, object, string, number]>([
  ['enough waits', 'plain', { backlog }, { waiting: 9 }, '3 runs would start.', 3],
  ['one has waited long enough', 'plain', { backlog }, { waiting: 1, oldestMinutes: 30 }, 'One run would start.', 1],
  [
    'too little waits',
    'plain',
    { backlog },
    { waiting: 4, oldestMinutes: 29 },
    'Too few items wait, and none for long enough.',
    0,
  ],
  ['enough goes on', 'plain', { backlog }, { waiting: 9, open: 3 }, 'Those that go on are enough.', 0],
  ['the row is complete', 'plain', { measure }, { values: [91, 92, 50, 91, 92] }, '2 runs would start.', 2],
  ['it is not', 'plain', { measure }, { values: [91, 50, 92] }, 'None of these values completes what it waits for.', 0],
  ['a file fits', 'file', { file }, { name: 'till-1.csv' }, 'One run would start.', 1],
  ['it does not', 'file', { file }, { name: 'other.csv' }, 'other.csv is none of till-*.csv.', 0],
  [
    'it is being written',
    'file',
    { file },
    { name: 'till-1.csv.part' },
    'A name that begins with a dot, or ends with .part or .tmp, never counts.',
    0,
  ],
  ['it was lost', 'plain', { after }, { state: 'lost' }, 'One run would start.', 1],
  [
    'it was cancelled',
    'plain',
    { after },
    { state: 'cancelled' },
    'It waits for a run that has failed, and this one has been cancelled.',
    0,
  ],
  [
    'it handed on',
    'named',
    { after, with: name },
    { state: 'failed', values: { total: '3' } },
    'One run would start.',
    1,
  ],
  [
    'it handed nothing on',
    'named',
    { after, with: name },
    { state: 'failed' },
    'What started it brought no value called total.',
    0,
  ],
  ['it counts', 'plain', { call }, { body: { type: 'seen' } }, 'One run would start.', 1],
  ['it does not count', 'plain', { call }, { body: {} }, 'It is none of the calls that count.', 0],
  [
    'another kind is made up',
    'plain',
    { call },
    { waiting: 9 },
    'What is made up is not what this trigger waits for.',
    0,
  ],
  [
    'it waits',
    'plain',
    { call: {}, between: { earliest: '18:00', latest: '22:00' } },
    { body: {} },
    'It would wait until 2027-03-09T18:00:00.000Z.',
    0,
  ],
  [
    'its days leave it out',
    'plain',
    { call: {}, until: '2027-03-08' },
    { body: {} },
    'Its days leave 2027-03-09 out.',
    0,
  ],
])('says what comes of it when %s', async (_, job, definition, event, why, runs) => {
  expect(await tried(job, definition, event)).toMatchObject({ why, runs })
})

it('says with which values, and starts nothing', async () => {
  const { is, inputs } = await tried('file', { file }, { name: 'till-1.csv' })
  expect([is, inputs]).toEqual(['starts', { file: '/in/till-1.csv', folder: '/in' }])
  expect(await many(null, 'SELECT FROM runs')).toEqual([])
})
