import { act, cleanup, fireEvent, render, screen, waitFor } from '@testing-library/react'
import { api } from '@/ui/api'
import { answered, useAway } from '@/ui/hooks/reach'
import { show } from '@/ui/screen.test-help'
import { NotFound } from './not-found'
import { AwayBar } from './away-bar'
import { Away, FailedPage } from './failed-page'

type Reply = { status: number; body?: object } | 'nothing'
let health: Reply = { status: 200 }
let reply: Reply = { status: 200, body: [] }
const answerWith = (what: Reply): Promise<unknown> =>
  what === 'nothing'
    ? Promise.reject(new Error('connection refused'))
    : Promise.resolve({ ok: what.status < 300, status: what.status, json: () => Promise.resolve(what.body ?? {}) })
const AWAY = { status: 503, body: { type: 'urn:bugle:problem:database-away', detail: 'It does not answer.' } }

beforeEach(() => {
  jest.useFakeTimers()
  act(() => answered())
  health = { status: 200 }
  reply = { status: 200, body: [] }
})
afterEach(() => {
  cleanup()
  jest.useRealTimers()
})
const serve = (): void => {
  globalThis.fetch = ((url: string) => answerWith(url === '/api/health' ? health : reply)) as never
}
const ask = (): Promise<unknown> => act(() => api.get('/runs').catch(() => undefined))
const wait = (ms: number): Promise<void> => act(() => jest.advanceTimersByTimeAsync(ms))

describe('a database that is away', () => {
  it('is said on every screen with since when nothing is known, until it answers again', async () => {
    show(<AwayBar />, {})
    serve()
    jest.setSystemTime(new Date('2027-03-09T02:13:07Z'))
    await ask()
    expect(screen.queryByRole('status')).toBeNull()
    jest.setSystemTime(new Date('2027-03-09T02:14:00Z'))
    reply = AWAY
    health = { status: 503 }
    await ask()
    expect(screen.getByRole('status').textContent).toMatch(/The database does not answer\. .* as it was at 02:13:07/)
    await wait(9000)
    expect(screen.getByRole('status')).toBeTruthy()
    health = { status: 200 }
    reply = { status: 200, body: [] }
    await wait(3000)
    expect(screen.queryByRole('status')).toBeNull()
  })

  it('is told from a server that is away', async () => {
    show(<AwayBar />, {})
    serve()
    reply = 'nothing'
    health = 'nothing'
    await ask()
    expect(screen.getByRole('status').textContent).toContain('Bugle does not answer.')
    health = { status: 503 }
    await wait(3000)
    expect(screen.getByRole('status').textContent).toContain('The database does not answer.')
  })

  it('is not said for what the server refuses', async () => {
    const Shown = (): string => (useAway() ? 'away' : 'there')
    render(<Shown />)
    serve()
    reply = { status: 404, body: { type: 'urn:bugle:problem:not-found' } }
    await ask()
    expect(screen.getByText('there')).toBeTruthy()
  })
})

describe('a page that could not be made', () => {
  it('says that the database does not answer, and is made anew once it does', async () => {
    serve()
    health = { status: 503 }
    const retry = jest.fn()
    render(<FailedPage retry={retry} digest="123" />)
    await wait(10)
    expect(screen.getByRole('heading').textContent).toBe('The database does not answer')
    await wait(6000)
    expect(retry).not.toHaveBeenCalled()
    health = { status: 200 }
    await wait(3000)
    expect(retry).toHaveBeenCalledTimes(1)
  })

  it('says that something failed, with what the log has it under, and can be tried again', async () => {
    serve()
    const retry = jest.fn()
    render(<FailedPage retry={retry} digest="123" />)
    await wait(6000)
    expect(screen.getByRole('heading').textContent).toBe('This page could not be shown')
    expect(screen.getByText(/has it under 123/)).toBeTruthy()
    expect(retry).not.toHaveBeenCalled()
    fireEvent.click(screen.getByText('Try again'))
    await waitFor(() => expect(retry).toHaveBeenCalledTimes(1))
  })

  it('knows from the server that the database was away', () => {
    serve()
    render(<Away />)
    expect(screen.getByRole('heading').textContent).toBe('The database does not answer')
  })

  it('at an address that leads nowhere says so, and where to go', () => {
    render(<NotFound />)
    expect(screen.getByRole('heading').textContent).toBe('There is no such page')
    expect(screen.getByRole('link', { name: 'To Watch' }).getAttribute('href')).toBe('/watch')
  })
})
