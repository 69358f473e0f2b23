import { screen, waitFor, within } from '@testing-library/react'
import type { QueueListed } from '@/service/queues/figures'
import type { ItemFull, ItemRow } from '@/service/queues/items'
import { changesOf, choose, No, press, show, type, type Asked } from '@/ui/screen.test-help'
import { fireEvent } from '@testing-library/react'
import { plainFields } from './[id]/data-fields'
import { QueueScreen } from './[id]/queue-screen'
import { areNumbers, inShort, namesIn } from './item-words'
import { QueuesScreen } from './queues-screen'

const now = Date.now()
const ago = (minutes: number): Date => new Date(now - minutes * 60_000)
const listed: QueueListed = {
  id: 3,
  slug: 'refunds',
  title: 'Refunds',
  areaId: 2,
  area: 'Refund desk',
  active: true,
  keys: 'open',
  tries: 3,
  delaySeconds: 60,
  waiting: 1234,
  ready: 1230,
  taken: 2,
  rejected: 3,
  failed: 1,
  todayAt: new Date('2027-03-09T00:00:00Z'),
  doneToday: 128,
  overdue: 5,
  oldestAt: ago(42),
  arrivedPerHour: 10,
  endedPerHour: 14,
  meanMs: 245_000,
  emptyAt: null,
  takers: ['desk1', 'desk2'],
}
const schema = {
  type: 'object',
  required: ['booking'],
  properties: {
    booking: { type: 'string' },
    amount: { type: 'number' },
    reason: { type: 'string', enum: ['ill', 'late'] },
  },
}
const queue = {
  ...listed,
  notes: '',
  schema,
  keepDays: 90,
  version: 4,
  savedBy: 'Moira Calder',
  savedAt: ago(900),
  may: 'design',
}
const row = (change: Partial<ItemRow>): ItemRow => ({
  id: 11,
  key: 'MS-41977',
  state: 'rejected',
  priority: 'normal',
  due: null,
  notBefore: null,
  tries: 1,
  reason: 'no booking of this number',
  createdAt: ago(90),
  endedAt: ago(5),
  data: { booking: 'MS-41977', amount: 84.5, reason: 'ill' },
  dataBytes: 60,
  takenAt: ago(6),
  takeEndedAt: ago(5),
  runId: 97,
  robot: 'desk2',
  agent: 'kelda-desk2',
  ...change,
})
const item: ItemFull = {
  ...row({}),
  queueId: 3,
  version: 7,
  result: null,
  cameBy: 'the booking application',
  laters: 0,
  story: [
    { at: ago(90), kind: 'came', words: 'came by the booking application', runId: null, outcome: null, until: null },
    { at: ago(6), kind: 'take', words: 'taken by desk2: no booking', runId: 97, outcome: 'rejected', until: ago(5) },
  ],
  sameKey: [{ id: 4, state: 'done', createdAt: ago(9000), endedAt: ago(8999) }],
  may: 'operate',
}
const SERVER = {
  'GET /queues': [listed],
  'GET /queues/3': queue,
  'GET /queues/3/tide': { seconds: 1800, buckets: [] },
  'GET /queues/3/items': {
    rows: [row({}), row({ id: 12, key: null, state: 'waiting', reason: '', runId: null, takenAt: null })],
    after: null,
  },
  'GET /items/11': item,
  'GET /areas': [{ id: 2, path: 'Refund desk', may: 'design' }],
}

describe('work queues', () => {
  it('are listed with what waits, who is at it, and what a person has to look at', async () => {
    show(<QueuesScreen />, SERVER)
    const line = await screen.findByRole('row', { name: /Refunds/ })
    expect(within(line).getByRole('link', { name: '1,234' }).getAttribute('href')).toBe('/work/queues/3?state=waiting')
    expect(within(line).getByText('desk1, desk2')).toBeTruthy()
    expect(within(line).getByText('3, 1').closest('a')?.getAttribute('href')).toBe(
      '/work/queues/3?state=rejected,failed',
    )
    expect(within(line).getByRole('link', { name: '5' }).getAttribute('href')).toBe('/work/queues/3?overdue=yes')
  })

  it('are made with what their items must be; what is no JSON is said before anything is sent', async () => {
    const asked = show(<QueuesScreen />, { ...SERVER, 'POST /queues': { id: 9 } }, { at: '/work/queues?new=1' })
    const dialog = await screen.findByRole('dialog', { name: 'New queue' })
    type('Title', 'Letters')
    await choose(/Area/, 'Refund desk')
    type(/JSON Schema/, '{"type":')
    await press('Make it')
    expect(await within(dialog).findByText(/This is not JSON/)).toBeTruthy()
    expect(changesOf(asked)).toEqual([])
    type(/JSON Schema/, '{"type": "object"}')
    await press('Make it')
    await waitFor(() => expect(changesOf(asked)).toHaveLength(1))
    expect(changesOf(asked)[0]).toMatchObject({
      what: 'POST /queues',
      body: { title: 'Letters', areaId: 2, tries: 3, keys: 'open', schema: { type: 'object' } },
    })
  })
})

describe('a queue', () => {
  it('shows its items with columns from their data; several are put back after it is said with how many', async () => {
    const asked = show(
      <QueueScreen id={3} />,
      {
        ...SERVER,
        'POST /queues/3/items/many': { meant: 3, done: 1, held: 1 },
      },
      { at: '/work/queues/3' },
    )
    expect(await screen.findByRole('columnheader', { name: 'amount' })).toBeTruthy()
    expect(screen.getAllByText('84.5')).toHaveLength(2)
    for (const id of [11, 12]) fireEvent.click(screen.getByRole('checkbox', { name: `Choose item ${id}` }))
    await press('Put back')
    const dialog = await screen.findByRole('dialog')
    expect(dialog.textContent).toContain('1 item will wait again')
    expect(dialog.textContent).toContain('1 other of those chosen is in a state in which it means nothing')
    expect(dialog.textContent).toContain('1 other stays as before: another item has the key')
    fireEvent.click(within(dialog).getByRole('button', { name: 'Put back' }))
    await waitFor(() => expect(changesOf(asked)).toHaveLength(2))
    expect(changesOf(asked).map(({ body }) => body)).toEqual([
      { ids: [11, 12], act: { do: 'again' }, dryRun: true },
      { ids: [11, 12], act: { do: 'again' }, dryRun: false },
    ])
  })

  it('has an item beside it: its story, and its data as a form that is mended and put back', async () => {
    const asked = show(
      <QueueScreen id={3} />,
      {
        ...SERVER,
        'POST /items/11/again': new No(400, {
          detail: 'No.',
          errors: [{ path: 'data.booking', message: 'booking must match pattern.' }],
        }),
      },
      { at: '/work/queues/3?item=11' },
    )
    const panel = await screen.findByRole('region', { name: 'The item' })
    expect(await within(panel).findByText(/“no booking of this number”/)).toBeTruthy()
    expect(within(panel).getByRole('link', { name: '#97' })).toBeTruthy()
    expect(within(panel).getByRole('link', { name: 'item 4' }).getAttribute('href')).toBe('/work/queues/3?item=4')
    await press('Mend and put back')
    type('booking', 'MS-1')
    type('amount (may be left out)', '12.5')
    await press('Put back')
    expect(await within(panel).findByText('booking must match pattern.')).toBeTruthy()
    expect(changesOf(asked)[0]).toEqual({
      what: 'POST /items/11/again',
      body: { data: { booking: 'MS-1', amount: 12.5, reason: 'ill' } },
    })
  })

  it('takes a file: what is wrong with its rows is shown first, and nothing is added while something is', async () => {
    let dry = 0
    const asked = show(
      <QueueScreen id={3} />,
      {
        ...SERVER,
        'POST /queues/3/items/from-file': (one: Asked) => {
          expect(one.query.format).toBe('jsonl')
          return dry++ === 0
            ? { rows: 2, added: 0, faults: [{ path: 'line 2', message: 'It is not JSON.' }] }
            : { rows: 2, added: one.query.dryRun ? 0 : 2, faults: [] }
        },
      },
      { at: '/work/queues/3?file=1' },
    )
    const dialog = await screen.findByRole('dialog', { name: 'Items for Refunds from a file' })
    const give = (): void => {
      const input = document.querySelector('input[type=file]') as HTMLInputElement
      const file = new File(['{}'], 'refunds.jsonl')
      Object.defineProperty(file, 'text', { value: async () => '{}' })
      fireEvent.change(input, { target: { files: [file] } })
    }
    give()
    expect(await within(dialog).findByText('It is not JSON.')).toBeTruthy()
    expect(within(dialog).getByRole('button', { name: /^Add/ }).getAttribute('aria-disabled')).toBe('true')
    give()
    expect(await within(dialog).findByText(/2 rows, all of them right/)).toBeTruthy()
    await press('Add 2 items')
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull())
    expect(changesOf(asked)).toHaveLength(3)
  })

  it('lets a viewer look, and do nothing', async () => {
    show(
      <QueueScreen id={3} />,
      { ...SERVER, 'GET /queues/3': { ...queue, may: 'see' } },
      { role: 'viewer', at: '/work/queues/3?item=11&add=1' },
    )
    const button = await screen.findByRole('button', { name: 'Mend and put back' })
    expect(button.getAttribute('aria-disabled')).toBe('true')
    expect(screen.queryByRole('dialog')).toBeNull()
  })

  it('takes an item by hand', async () => {
    const asked = show(
      <QueueScreen id={3} />,
      { ...SERVER, 'POST /queues/3/items': { items: [13] } },
      { at: '/work/queues/3?add=1' },
    )
    await screen.findByRole('dialog', { name: 'Add an item to Refunds' })
    type('Key', 'MS-5')
    type('booking', 'MS-5')
    await press('Add it')
    await waitFor(() => expect(changesOf(asked)).toHaveLength(1))
    expect(changesOf(asked)[0]?.body).toEqual({
      items: [{ key: 'MS-5', data: { booking: 'MS-5' }, priority: 'normal' }],
    })
  })
})

it.each([
  [{ type: 'object', properties: { a: { type: 'string' } } }, ['a']],
  [{ type: 'object', properties: { a: { type: 'array' } } }, null],
  [{ type: 'array' }, null],
  [null, null],
])('the schema %j is a form of %j', (given, names) => {
  expect(plainFields(given)?.map(({ name }) => name) ?? null).toEqual(names)
})

it('columns come from what most items have', () => {
  expect(namesIn([{ b: 1 }, { a: 1, b: 2 }, [1], null, 'x'])).toEqual(['b', 'a'])
  const data = [{ a: 1, b: 2 }, { a: 'x' }, null, { b: null }]
  expect(['a', 'b'].map((name) => areNumbers(data, name))).toEqual([false, true])
  expect([inShort(null), inShort({ a: 1 }), inShort(3)]).toEqual(['', '{"a":1}', '3'])
})
