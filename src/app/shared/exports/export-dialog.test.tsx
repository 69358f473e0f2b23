import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { show } from '@/ui/screen.test-help'
import { ExportButton } from './export-button'

type Piece = { readonly done: boolean; readonly value?: Uint8Array }

/** A file that comes in pieces, when the test says so. jsdom has no streams: this is as much of one as is read. */
function pieces(headers: Record<string, string>): {
  readonly response: Response
  readonly send: (text: string) => void
  readonly close: () => void
  readonly breakOff: () => void
} {
  const come: Promise<Piece>[] = []
  const waiting: ((piece: Promise<Piece>) => void)[] = []
  const give = (piece: Promise<Piece>): void => {
    piece.catch(() => undefined)
    const next = waiting.shift()
    if (next) next(piece)
    else come.push(piece)
  }
  const read = (): Promise<Piece> => come.shift() ?? new Promise((resolve) => waiting.push(resolve))
  return {
    response: { ok: true, status: 200, headers: headersOf(headers), body: { getReader: () => ({ read }) } } as never,
    send: (text) => give(Promise.resolve({ done: false, value: Uint8Array.from(Buffer.from(text)) })),
    close: () => give(Promise.resolve({ done: true })),
    breakOff: () => give(Promise.reject(new TypeError('network'))),
  }
}
const headersOf = (headers: Record<string, string>): { get: (name: string) => string | null } => ({
  get: (name) => headers[name] ?? null,
})

const asked: string[] = []
const kept: { name: string; blob: Blob }[] = []
let answer: (signal: AbortSignal) => Promise<Response>

beforeEach(() => {
  asked.length = 0
  kept.length = 0
  let made: Blob | undefined
  URL.createObjectURL = (blob) => {
    made = blob as Blob
    return 'blob:one'
  }
  URL.revokeObjectURL = () => undefined
  jest.spyOn(HTMLAnchorElement.prototype, 'click').mockImplementation(function (this: HTMLAnchorElement) {
    kept.push({ name: this.download, blob: made as Blob })
  })
})
afterEach(() => jest.restoreAllMocks())

async function open(props: Parameters<typeof ExportButton>[0]): Promise<void> {
  show(<ExportButton {...props} />, {})
  const before = globalThis.fetch
  globalThis.fetch = (input, init) => {
    const path = String(input)
    if (!path.includes('/exports')) return before(input, init)
    asked.push(path)
    return answer(init?.signal as AbortSignal)
  }
  await userEvent.click(screen.getByRole('button', { name: 'Export' }))
  await userEvent.click(await screen.findByRole('button', { name: /As$/ }))
  await userEvent.click(await screen.findByRole('option', { name: 'CSV (RFC 4180)' }))
}
const write = async (): Promise<void> => userEvent.click(await screen.findByRole('button', { name: 'Write the file' }))

it('writes the list as it is filtered and shown, says how far it is, and hands over the whole file', async () => {
  const file = pieces({
    'content-type': 'text/csv; charset=utf-8; header=present',
    'content-disposition': 'attachment; filename="bugle-runs.csv"',
    'x-bugle-rows': '4',
  })
  answer = () => Promise.resolve(file.response)
  await open({ list: 'runs', values: { state: 'failed' }, columns: ['number', 'job'] })
  await write()
  expect(await screen.findByRole('progressbar')).toBeDefined()
  expect(new URL(asked[0] ?? '', 'http://x').searchParams.toString()).toBe(
    'state=failed&list=runs&format=csv&zone=Europe%2FLondon&columns=number%2Cjob',
  )
  file.send('Run,Job\r\n1,a\r\n2,b\r\n')
  expect(await screen.findByText('2 of 4 rows')).toBeDefined()
  expect(screen.getByRole('progressbar').getAttribute('value')).toBe('0.5')
  file.send('3,c\r\n4,d\r\n')
  file.close()
  await waitFor(() => expect(kept).toHaveLength(1))
  expect(kept[0]?.name).toBe('bugle-runs.csv')
  expect(kept[0]?.blob.size).toBe('Run,Job\r\n1,a\r\n2,b\r\n3,c\r\n4,d\r\n'.length)
  expect(await screen.findByRole('button', { name: 'Write the file' })).toBeDefined()
})

it('is stopped by a person: nothing is kept, the server is told', async () => {
  const file = pieces({ 'content-type': 'text/csv' })
  let signal: AbortSignal | undefined
  answer = (given) => {
    signal = given
    given.addEventListener('abort', () => file.breakOff())
    return Promise.resolve(file.response)
  }
  await open({ list: 'people' })
  await write()
  file.send('Name\r\n')
  await userEvent.click(await screen.findByRole('button', { name: 'Stop' }))
  expect(signal?.aborted).toBe(true)
  expect(await screen.findByRole('button', { name: 'Write the file' })).toBeDefined()
  expect(screen.queryByRole('alert')).toBeNull()
  expect(kept).toEqual([])
})

it('keeps no half file, and says so; a refusal is told in the server’s words', async () => {
  const file = pieces({ 'content-type': 'text/csv' })
  answer = () => Promise.resolve(file.response)
  await open({ list: 'people' })
  await write()
  file.send('Name\r\nSun')
  file.breakOff()
  expect(await screen.findByText(/It broke off on the way/)).toBeDefined()
  expect(kept).toEqual([])
  answer = () =>
    Promise.resolve({
      ok: false,
      status: 403,
      headers: headersOf({}),
      json: () =>
        Promise.resolve({ type: 'urn:bugle:problem:not-allowed', detail: 'It takes the right to administer.' }),
    } as never)
  await write()
  expect(await screen.findByText(/It takes the right to administer/)).toBeDefined()
})
