import { act, fireEvent, screen, waitFor } from '@testing-library/react'
import { useState, type ReactNode } from 'react'
import { show, type Asked } from '../screen.test-help'
import { useSay } from './announcer'
import { Finder } from './finder'

describe('find or do', () => {
  function Host(): ReactNode {
    const [isOpen, setOpen] = useState(true)
    return <Finder isOpen={isOpen} onClose={() => setOpen(false)} />
  }
  const found = [
    { kind: 'job', id: 5, title: 'Till file Orrin Quay', detail: 'Fares' },
    { kind: 'trigger', id: 7, title: 'Tide tables', detail: '' },
  ]
  const finder = (role: 'viewer' | 'designer' | 'administrator' = 'designer', hits: unknown = found): Asked[] =>
    show(<Host />, { 'GET /find': hits }, { role })
  const box = (): HTMLElement => screen.getByRole('combobox', { name: 'What to find or do' })
  const write = (value: string): void => void fireEvent.change(box(), { target: { value } })
  const titles = (): (string | null | undefined)[] =>
    screen.queryAllByRole('option').map((option) => option.querySelector('span')?.textContent)

  it('offers only what the person may do', () => {
    finder('viewer')
    expect(titles()).toContain('Go to Watch')
    expect(titles()).not.toContain('New job')
    finder('designer')
    expect(titles()).toContain('New trigger')
    expect(titles()).not.toContain('Enrol an agent')
  })

  it('starts work by its name, and opens a run by its number before it is found', async () => {
    const asked = finder()
    fireEvent.change(box(), { target: { value: 'start till file' } })
    await screen.findByText('Start Till file Orrin Quay')
    expect(asked.filter(({ what }) => what === 'GET /find').map(({ query }) => query.text)).toContain('till file')
    fireEvent.keyDown(box(), { key: 'Enter' })
    expect(window.location.pathname + window.location.search).toMatch(/^\/work\/(jobs|flows)\/\d+\?start=1$/)
    finder('designer', [])
    fireEvent.change(box(), { target: { value: '#18204' } })
    fireEvent.keyDown(box(), { key: 'Enter' })
    expect(window.location.pathname).toBe('/runs/18204')
    const slow = (asked: Asked): unknown => (asked.query.text === 'till' ? found : new Promise(() => undefined))
    finder('designer', slow)
    write('start till')
    await screen.findByText('Start Till file Orrin Quay')
    write('start tide')
    expect(titles()).not.toContain('Start Till file Orrin Quay')
    finder('viewer')
    fireEvent.change(box(), { target: { value: 'start till file' } })
    await waitFor(() => expect(screen.queryByText(/^Start Till/)).toBeNull())
  })

  it('finds objects, opens the chosen one with Enter, and closes', async () => {
    const asked = finder()
    write(' till ')
    await screen.findByText('Till file Orrin Quay')
    expect(asked.at(-1)?.query).toEqual({ text: 'till' })
    fireEvent.keyDown(box(), { key: 'ArrowDown' })
    expect(screen.getAllByRole('option')[1]?.getAttribute('aria-selected')).toBe('true')
    fireEvent.keyDown(box(), { key: 'Enter' })
    expect(window.location.pathname).toBe('/timing/triggers/7')
    expect(screen.queryByRole('dialog')).toBeNull()
  })

  it('keeps a command that is being typed first, whatever is found meanwhile', async () => {
    finder('designer', [{ kind: 'job', id: 9, title: 'new trigger of the old kind', detail: '' }])
    write('new trigger')
    expect(titles()[0]).toBe('New trigger')
    await screen.findByText('new trigger of the old kind')
    expect(titles()[0]).toBe('New trigger')
    fireEvent.keyDown(box(), { key: 'Enter' })
    expect(window.location.pathname).toBe('/timing/triggers/new')
  })

  it('says when nothing is called that', async () => {
    finder('designer', [])
    write('xyzzy')
    expect(await screen.findByText(/Nothing is called that/)).toBeTruthy()
  })
})

describe('announcements', () => {
  let sayIt: ReturnType<typeof useSay>
  function Speaker(): ReactNode {
    sayIt = useSay()
    return null
  }
  const region = (): HTMLElement => screen.getByRole('region', { name: 'Announcements' })
  beforeEach(() => jest.useFakeTimers())
  afterEach(() => jest.useRealTimers())

  it('go by themselves if they are good, and stay if they are bad', () => {
    show(<Speaker />, {})
    act(() => sayIt('Saved.'))
    act(() => sayIt('Refused.', { bad: true }))
    expect(region().textContent).toContain('Saved.')
    act(() => void jest.advanceTimersByTime(6100))
    expect(region().textContent).not.toContain('Saved.')
    expect(region().textContent).toContain('Refused.')
    fireEvent.click(screen.getByRole('button', { name: 'Put away' }))
    expect(region().textContent).toBe('')
  })

  it('of a failure are reached by F8, the newest first', () => {
    show(<Speaker />, {})
    act(() => sayIt('Till file #7 failed', { bad: true, href: '/runs/7' }))
    act(() => sayIt('Name check #9 failed', { bad: true, href: '/runs/9' }))
    fireEvent.keyDown(window, { key: 'F8' })
    expect(window.location.pathname).toBe('/runs/9')
    expect(region().textContent).not.toContain('#9')
    fireEvent.keyDown(window, { key: 'F8' })
    expect(window.location.pathname).toBe('/runs/7')
  })

  it('are at most four at once', () => {
    show(<Speaker />, {})
    for (const n of [1, 2, 3, 4, 5]) act(() => sayIt(`Word ${n}.`, { bad: true }))
    expect(region().textContent).not.toContain('Word 1.')
    expect(region().textContent).toContain('Word 5.')
  })
})
