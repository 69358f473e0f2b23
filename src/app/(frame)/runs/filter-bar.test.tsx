import { fireEvent, screen } from '@testing-library/react'
import { show } from '@/ui/screen.test-help'
import { FilterBar, readRequest, type Token } from './filter-bar'

const SERVER = {
  'GET /jobs': [
    { id: 5, title: 'Till file Orrin Quay', area: 'Fares' },
    { id: 6, title: 'Reconcile fares', area: 'Fares' },
  ],
  'GET /areas': [{ id: 2, path: 'Fares' }],
  'GET /agents': [{ id: 3, name: 'orrin-ops1' }],
  'GET /triggers': { rows: [{ id: 8, title: 'Close of day' }] },
  'GET /people': [{ id: 1, name: 'Callum Eads' }],
}
/** The bar on these values; what it asks to change. */
async function bar(values: Record<string, string> = {}): Promise<jest.Mock> {
  const change = jest.fn()
  show(<FilterBar values={values} onChange={change} />, SERVER)
  fireEvent.focus(box())
  await screen.findByRole('option', { name: /Reconcile/ })
  return change
}
const box = (): HTMLElement => screen.getByRole('combobox', { name: 'Filter runs' })
const write = (value: string): void => void fireEvent.change(box(), { target: { value } })
const key = (name: string): void => void fireEvent.keyDown(box(), { key: name })
const offered = (): string[] => screen.queryAllByRole('option').map((option) => option.textContent ?? '')

describe('the filter of runs', () => {
  it('offers states, jobs, areas, machines, triggers, people and causes by part of their name', async () => {
    await bar()
    write('or')
    expect(offered()).toEqual([
      'title or number has “or”text',
      'Till file Orrin Quayjob',
      'orrin-ops1machine',
      'reportkind',
    ])
    write('fail')
    expect(offered()).toContain('failedstate')
    write('callum')
    expect(offered()).toContain('Callum Eadsperson')
  })

  it('takes the chosen one with Enter, adding to others of its kind', async () => {
    const change = await bar({ state: 'failed' })
    write('state: lo')
    key('Enter')
    expect(change).toHaveBeenLastCalledWith({ state: 'failed,lost' })
    write('rec')
    key('ArrowDown')
    key('Enter')
    expect(change).toHaveBeenLastCalledWith({ job: '6' })
    expect(box().textContent).toBe('')
  })

  it('looks for what was typed in titles and numbers', async () => {
    const change = await bar()
    write(' 18204 ')
    key('Enter')
    expect(change).toHaveBeenCalledWith({ text: '18204' })
  })

  it('shows tokens by name, and takes them away by button or Backspace', async () => {
    const change = await bar({ state: 'failed,lost', job: '5', text: 'till' })
    fireEvent.click(screen.getByRole('button', { name: 'Take away state failed' }))
    expect(change).toHaveBeenLastCalledWith({ state: 'lost' })
    fireEvent.click(screen.getByRole('button', { name: 'Take away job Till file Orrin Quay' }))
    expect(change).toHaveBeenLastCalledWith({ job: null })
    key('Backspace')
    expect(change).toHaveBeenLastCalledWith({ text: null })
  })

  it('does not offer what is chosen already, and keeps what it does not know any more', async () => {
    const change = await bar({ agent: '3', job: '404' })
    expect(screen.getByRole('button', { name: 'Take away job 404' })).toBeTruthy()
    write('orrin')
    expect(offered()).not.toContain('orrin-ops1machine')
    write('')
    key('Backspace')
    expect(change).toHaveBeenLastCalledWith({ job: null })
  })

  it('closes with Escape and opens with an arrow', async () => {
    await bar()
    key('Escape')
    expect(offered()).toEqual([])
    key('ArrowDown')
    expect(offered().length).toBeGreaterThan(5)
  })
})

describe('what is written as it is called', () => {
  const OPTIONS: Token[] = [
    { key: 'state', value: 'failed', title: 'failed' },
    { key: 'when', value: 'last-night', title: 'last night', change: { when: 'last-night' } },
    { key: 'agent', value: '3', title: 'orrin-ops1' },
    { key: 'agent', value: '4', title: 'orrin-ops10' },
    { key: 'job', value: '5', title: 'Till file' },
  ]
  const request = (text: string): string[] | null => readRequest(text, OPTIONS)?.map(({ title }) => title) ?? null

  it('is understood word by word, whatever little words stand between', () => {
    expect(request('failed last night on orrin-ops1')).toEqual(['failed', 'last night', 'orrin-ops1'])
    expect(request('Till file failed on orrin-ops10')).toEqual(['Till file', 'failed', 'orrin-ops10'])
    expect(request('failed')).toBeNull()
    expect(request('failed last week')).toBeNull()
    expect(request('failed orrin-ops')).toBeNull()
  })

  it('is taken by Enter: a state, all of a request, a stretch of time', async () => {
    const change = await bar()
    const take = (text: string): unknown => {
      write(text)
      key('Enter')
      return change.mock.lastCall?.[0] as unknown
    }
    expect(take('failed')).toEqual({ state: 'failed' })
    expect(take('failed last night on orrin-ops1')).toEqual({
      state: 'failed',
      when: 'last-night',
      from: null,
      to: null,
      agent: '3',
    })
    expect(take('from 2027-03-09 02:00 to 2027-03-10')).toEqual({
      when: null,
      from: '2027-03-09T02:00:00.000Z',
      to: '2027-03-11T00:00:00.000Z',
    })
    expect(take('machine: orrin')).toEqual({ agent: '3' })
    expect(take('today')).toEqual({ when: 'today', from: null, to: null })
  })

  it('is shown as it is called, and taken away', async () => {
    const change = await bar({ when: 'last-night' })
    fireEvent.click(screen.getByRole('button', { name: 'Take away when last night' }))
    expect(change).toHaveBeenCalledWith({ when: null })
  })

  it('can be picked from a small calendar', async () => {
    const change = await bar()
    fireEvent.click(screen.getByRole('button', { name: 'Choose days' }))
    const days = await screen.findAllByRole('gridcell')
    const inMonth = days.flatMap((cell) => cell.querySelector('[role=button]:not([data-outside-month])') ?? [])
    for (const day of [inMonth[3], inMonth[5]]) fireEvent.click(day as Element)
    expect(change).toHaveBeenCalledTimes(1)
    const { from, to } = change.mock.lastCall?.[0] as { from: string; to: string }
    expect(Math.round((Date.parse(to) - Date.parse(from)) / 3_600_000 / 24)).toBe(3)
  })
})
