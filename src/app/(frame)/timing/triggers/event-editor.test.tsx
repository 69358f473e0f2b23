import { screen, waitFor } from '@testing-library/react'
import { triggerDefinitionSchema, type TriggerDefinition } from '@/core/work/trigger'
import type { TriggerFull } from '@/service/timing/triggers'
import type { JobRow } from '@/service/work/work'
import { changesOf, choose, press, show, type, type Asked } from '@/ui/screen.test-help'
import { contentOf } from './content'
import { TriggerEditor } from './trigger-editor'

const JOBS = [
  { id: 9, slug: 'refund', title: 'Refund', area: 'Refund desk' },
  { id: 10, slug: 'vessel-log', title: 'Vessel log', area: 'Vessels' },
] as unknown as JobRow[]
const define = (change: object): TriggerDefinition =>
  triggerDefinitionSchema.parse({ zone: 'Europe/London', ...change })
const VESSEL = { name: 'vessel', title: 'Vessel', type: 'text', options: [], default: null, ask: true }
const SERVER = {
  'GET /startables/9': { id: 9, inputs: [] },
  'GET /startables/10': { id: 10, inputs: [VESSEL] },
  'GET /queues': [{ slug: 'refunds', title: 'Refunds' }],
  'GET /triggers/1/call': { address: null },
  'POST /triggers/preview': {
    says: 'when it happens',
    next: [],
    changes: null,
    facts: null,
    clockDates: [],
    load: null,
    faults: [],
  },
  'PUT /triggers/1': { version: 4 },
}

function edit(definition: object, more: object = {}, jobId = 9): Asked[] {
  const trigger = {
    id: 1,
    title: 'Refunds',
    notes: '',
    jobId,
    enabled: true,
    version: 3,
    definition: define(definition),
  } as unknown as TriggerFull
  return show(
    <TriggerEditor trigger={trigger} initial={contentOf(trigger)} calendars={[]} jobs={JOBS} />,
    { ...SERVER, ...more },
    { role: 'designer' },
  )
}
async function saved(asked: Asked[]): Promise<TriggerDefinition> {
  await press('Save')
  await waitFor(() => expect(changesOf(asked).some(({ what }) => what === 'PUT /triggers/1')).toBe(true))
  return (changesOf(asked).find(({ what }) => what === 'PUT /triggers/1')?.body as { definition: TriggerDefinition })
    .definition
}

it('by the clock becomes by a backlog, and what only the clock has is gone', async () => {
  const asked = edit({
    time: { at: ['17:00'] },
    window: { earliest: '16:00', latest: '18:00' },
    lateStart: 'PT1H',
    overlap: 'skip',
    finishBy: '19:00',
  })
  await choose(/What makes it start/, 'items wait in a queue')
  await waitFor(() => expect(asked.some(({ what }) => what === 'GET /queues')).toBe(true))
  await choose(/^Queue|Choose a queue/, 'Refunds')
  type('At least so many items', '5')
  type('Or one for so many minutes', '30')
  type('Items for each run', '4')
  type('Runs at once', '2')
  type('Not before', '8:00')
  type('Not after', '22:00')
  type('Starts at most', '20')
  expect(screen.queryByText('If the run before still goes on:')).toBeNull()
  expect(await saved(asked)).toEqual(
    define({
      backlog: { queue: 'refunds', atLeast: 5, orOldest: 'PT30M', perRun: 4, most: 2 },
      between: { earliest: '08:00', latest: '22:00' },
      atMost: { starts: 20, in: 'PT1H' },
      finishBy: '19:00',
    }),
  )
})

it('what is no number is kept as it was typed, and not saved', async () => {
  const asked = edit({ backlog: { queue: 'refunds' } })
  type(await screen.findByRole('textbox', { name: 'Runs at once' }).then(() => 'Runs at once'), 'many')
  expect((screen.getByRole('textbox', { name: 'Runs at once' }) as HTMLInputElement).value).toBe('many')
  await press('Save')
  expect(changesOf(asked).some(({ what }) => what === 'PUT /triggers/1')).toBe(false)
})

it('waits for other work', async () => {
  const asked = edit({ time: { at: ['17:00'] } })
  await choose(/What makes it start/, 'other work has ended')
  await choose(/Work to wait for/, 'Vessel log · Vessels')
  await choose(/How it ended/, 'has failed or was lost')
  expect(await saved(asked)).toEqual(define({ after: { work: 'vessel-log', when: 'failed' } }))
})

it('takes a value out of a call, and counts only some calls', async () => {
  const asked = edit({ call: {} }, {}, 10)
  type('Only calls in which', 'kind: refund')
  expect(await screen.findByText(/“kind: refund” is not read/)).toBeTruthy()
  type('Only calls in which', '/type = in-reach\n/data/berth = 4\n/data/name = "4"')
  await choose(/Where Vessel comes from/, 'lies there in the call')
  type('Vessel', '/data/vessel')
  expect(await saved(asked)).toEqual(
    define({
      call: { only: { '/type': 'in-reach', '/data/berth': 4, '/data/name': '4' } },
      with: { vessel: { from: '/data/vessel' } },
    }),
  )
})

it('its address is made, shown once, and only renewed by who means it', async () => {
  const made = { path: '/call/call_secret', signingKey: 'whsec_key' }
  const asked = edit({ call: {} }, { 'POST /triggers/1/call': made })
  expect(await screen.findByText('It has no address yet.')).toBeTruthy()
  await press('Make its address')
  expect(await screen.findByText(/\/call\/call_secret$/)).toBeTruthy()
  expect(screen.getByText('whsec_key')).toBeTruthy()
  expect(changesOf(asked).filter(({ what }) => what === 'POST /triggers/1/call')).toHaveLength(1)
})

it('that has an address asks first', async () => {
  const address = { madeBy: 'Ines Aldaya', madeAt: '2027-03-09T02:00:00.000Z' }
  const asked = edit({ call: {} }, { 'GET /triggers/1/call': { address }, 'POST /triggers/1/call': {} })
  await press('Make a new address')
  expect(await screen.findByText(/Whoever calls the present one/)).toBeTruthy()
  expect(changesOf(asked).filter(({ what }) => what === 'POST /triggers/1/call')).toHaveLength(0)
})

it('is tried with something made up', async () => {
  const tried = { is: 'starts', runs: 2, why: '2 runs would start.', inputs: { waiting: '9' } }
  const asked = edit({ backlog: { queue: 'refunds' } }, { 'POST /triggers/try': tried })
  expect(await screen.findByText('when it happens.')).toBeTruthy()
  type('Items wait', '9')
  await press('Try it')
  expect(await screen.findByText('2 runs would start.')).toBeTruthy()
  const body = changesOf(asked).find(({ what }) => what === 'POST /triggers/try')?.body
  expect(body).toMatchObject({ jobId: 9, event: { waiting: 9, oldestMinutes: null, open: 0 } })
})

it('waits for a file on an agent’s disk, and says how it goes with looking', async () => {
  const watch = { agent: 'kelda-files', fault: 'There is no folder /in.', at: '2027-03-09T02:00:00.000Z' }
  const asked = edit(
    { file: { on: { agent: 'kelda-files' }, path: '/in/*.csv' } },
    { 'GET /agents': [{ name: 'kelda-files' }, { name: 'kelda-lab' }], 'GET /triggers/1/watch': { watch } },
  )
  expect(await screen.findByText(/kelda-files: There is no folder \/in\./)).toBeTruthy()
  await waitFor(() => expect(asked.some(({ what }) => what === 'GET /agents')).toBe(true))
  await choose(/Agent whose disk/, 'kelda-lab')
  type('Path', '/in/till-*.csv')
  type('Seconds that it has stood still', '90')
  expect(await saved(asked)).toEqual(
    define({ file: { on: { agent: 'kelda-lab' }, path: '/in/till-*.csv', settled: 'PT1M30S' } }),
  )
})

it('waits for a measure beyond a limit, and shows where it would have fired as the limit changes', async () => {
  const values = [85, 91, 92, 70, 91, 92].map((value, i) => ({ atMs: Date.UTC(2027, 2, 9, 2, i), value }))
  const asked = edit(
    { measure: { of: { agent: 'kelda-db1' }, name: 'memory', above: 90, times: 2, clear: 80 } },
    {
      'GET /agents': [{ name: 'kelda-db1' }],
      'GET /pools': [{ name: 'data', title: 'Data' }],
      'GET /measures/values': [{ of: 'kelda-db1', values }],
    },
  )
  expect(await screen.findByText('It would have fired 2 times')).toBeTruthy()
  type('Limit', '91')
  expect(await screen.findByText('It would not have fired')).toBeTruthy()
  type('Values in a row', '1')
  type('Cleared at', '')
  expect(await screen.findByText('It would have fired 2 times')).toBeTruthy()
  await waitFor(() => expect(asked.some(({ what }) => what === 'GET /pools')).toBe(true))
  await choose(/Whose measure/, 'each agent of a pool')
  await choose(/Which one/, 'Data')
  type('Limit', '91.5')
  expect(await saved(asked)).toEqual(
    define({ measure: { of: { pool: 'data' }, name: 'memory', above: 91.5, times: 1 } }),
  )
})
