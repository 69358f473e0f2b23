import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { act, cleanup, fireEvent, render, screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import type { ReactNode } from 'react'
import type { Role } from '@/core/people/roles'
import { Announcer } from './frame/announcer'
import { forgetLeft } from './hooks/draft'
import { MeProvider, type Me } from './hooks/me'
import { go } from './navigation.test-help'

export interface Asked {
  /** As in the keys of the answers: `PATCH /triggers`. */
  readonly what: string
  readonly query: Readonly<Record<string, string>>
  readonly body: unknown
}
/** What the server says no with. */
export class No {
  constructor(
    readonly status: number,
    readonly body: object,
  ) {}
}
type Answer = unknown | ((asked: Asked) => unknown)

let answers: Record<string, Answer> = {}
let asked: Asked[] = []

/** A server that answers as given, by method and path below /api/v1; what nobody gave an answer for is an error that names it. */
function fetchFromTable(url: string, init: { method?: string; body?: string | Blob } = {}): Promise<unknown> {
  const { pathname, searchParams } = new URL(url, window.location.href)
  const what = `${init.method ?? 'GET'} ${pathname.replace(/^\/api\/v1/, '')}`
  const one: Asked = {
    what,
    query: Object.fromEntries(searchParams),
    body: typeof init.body === 'string' ? JSON.parse(init.body) : init.body,
  }
  asked.push(one)
  const answer = answers[what]
  const given = typeof answer === 'function' ? (answer as (asked: Asked) => unknown)(one) : answer
  if (given === undefined && !(what in answers)) return Promise.reject(new Error(`The test has no answer for ${what}.`))
  if (given instanceof No)
    return Promise.resolve({ ok: false, status: given.status, json: () => Promise.resolve(given.body) })
  return Promise.resolve({
    ok: true,
    status: given === undefined ? 204 : 200,
    json: () => Promise.resolve(JSON.parse(JSON.stringify(given))),
  })
}

export const ME: Me = {
  id: 1,
  name: 'Moira Calder',
  email: 'moira@marram.example',
  role: 'designer',
  zone: 'Europe/London',
  theme: 'light',
  paceSeconds: 1,
  granted: 'none',
  newTrigger: {},
}

/** Shows a screen to a person, at an address, in front of a server. Gives what the server was asked, as it grows. */
export function show(
  node: ReactNode,
  server: Record<string, Answer>,
  { role = 'designer', at = '/', ...me }: Partial<Me> & { role?: Role; at?: string } = {},
): Asked[] {
  cleanup()
  forgetLeft()
  answers = { 'GET /matters': [], 'GET /views': { views: [], first: null }, ...server }
  asked = []
  globalThis.fetch = fetchFromTable as unknown as typeof fetch
  go(at, 'replaceState')
  render(
    <QueryClientProvider client={new QueryClient({ defaultOptions: { queries: { retry: false } } })}>
      <MeProvider me={{ ...ME, ...me, role }}>
        <Announcer>{node}</Announcer>
      </MeProvider>
    </QueryClientProvider>,
  )
  return asked
}

/** What was sent to change something. */
export const changesOf = (all: readonly Asked[]): { what: string; body: unknown }[] =>
  all.filter(({ what }) => !what.startsWith('GET ')).map(({ what, body }) => ({ what, body }))

type Name = string | RegExp
export const press = async (name: Name): Promise<void> => {
  fireEvent.click(await screen.findByRole('button', { name }))
}
export const type = (name: Name, value: string): void => {
  fireEvent.change(screen.getByRole('textbox', { name }), { target: { value } })
}
/** Opens a field with choices, and takes one. */
export const choose = async (field: Name, option: Name): Promise<void> => {
  await press(field)
  fireEvent.click(await screen.findByRole('option', { name: option }))
}

/** Types a day, or a minute of one, into a field that takes it part by part. */
export async function typeDay(name: string | RegExp, iso: string): Promise<void> {
  const parts = within((await screen.findAllByRole('group', { name }))[0] as HTMLElement).getAllByRole('spinbutton')
  await userEvent.click(parts[0] as HTMLElement)
  await userEvent.keyboard(iso.replace(/\D/g, ''))
  // What is there is read once it is drawn.
  await act(() => new Promise((resolve) => setTimeout(resolve, 20)))
}
