import { fireEvent, screen } from '@testing-library/react'
import { show } from '@/ui/screen.test-help'
import { FilterBar } from './filter-bar'

const SERVER = {
  'GET /jobs': [
    { id: 5, title: 'Till file Orrin Quay', area: 'Fares' },
    { id: 6, title: 'Reconcile fares', area: 'Fares' },
  ],
  'GET /areas': [{ id: 2, title: 'Fares' }],
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
    expect(offered()).toEqual(['title or number has “or”text', 'Till file Orrin Quayjob', 'orrin-ops1agent'])
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
    expect(offered()).not.toContain('orrin-ops1agent')
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
