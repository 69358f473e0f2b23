import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { Command } from 'commander'
import { BadInput } from './bad-input'
import { addForecastCommands } from './forecast'
import { addRemoteCommands } from './remote'

const folder = mkdtempSync(join(tmpdir(), 'bugle-remote-'))
afterAll(() => rmSync(folder, { recursive: true }))

interface Asked {
  readonly method: string
  readonly path: string
  readonly token: string | undefined
  readonly body: string
}
let server: Server
let asked: Asked[]
let answer: { status: number; body: string }
/** Another body with each request. */
let next: (() => string) | null = null

beforeAll(async () => {
  server = createServer((request, response) => {
    let body = ''
    request.on('data', (data) => (body += String(data)))
    request.on('end', () => {
      asked.push({
        method: request.method ?? '',
        path: request.url ?? '',
        token: request.headers.authorization,
        body,
      })
      response.writeHead(answer.status).end(next ? next() : answer.body)
    })
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
})
afterAll(() => void server.close())
beforeEach(() => {
  asked = []
  next = null
  answer = { status: 200, body: '{"lines":[]}' }
  delete process.env.BUGLE_SERVER
  delete process.env.BUGLE_TOKEN
})

const url = (): string => `http://127.0.0.1:${(server.address() as AddressInfo).port}`
async function bugle(...args: string[]): Promise<unknown[]> {
  const printed: unknown[] = []
  const program = new Command().exitOverride()
  addRemoteCommands(program, (value) => void printed.push(value))
  addForecastCommands(program, (value) => void printed.push(value))
  await program.parseAsync(args, { from: 'user' })
  return printed
}
const there = (): string[] => ['--server', `${url()}/`, '--token', 'bgt_x']
const file = (content: string): string => {
  const path = join(folder, 'bundle.json')
  writeFileSync(path, content)
  return path
}

describe('bugle import', () => {
  it('sends the file as it is, with the token, and prints what changed', async () => {
    answer.body = '{"lines":[{"kind":"calendar","id":"a","what":"added"}]}'
    const printed = await bugle('import', file('\uFEFF{"format":"bugle-bundle/1"}'), ...there())
    expect(asked).toEqual([
      { method: 'POST', path: '/api/v1/bundle', token: 'Bearer bgt_x', body: '{"format":"bugle-bundle/1"}' },
    ])
    expect(printed).toEqual([{ lines: [{ kind: 'calendar', id: 'a', what: 'added' }] }])
  })

  it('asks only what would change, if it is told to', async () => {
    process.env.BUGLE_SERVER = url()
    process.env.BUGLE_TOKEN = 'bgt_env'
    await bugle('import', '--dry-run', file('{}'))
    expect(asked).toMatchObject([{ path: '/api/v1/bundle?dryRun=yes', token: 'Bearer bgt_env' }])
  })

  it('tells every fault with its path, as bad input', async () => {
    answer = {
      status: 400,
      body: JSON.stringify({
        detail: 'No.',
        errors: [
          { path: 'calendars[0].days', message: 'A day rule is expected.' },
          { path: '', message: 'Too large.' },
        ],
      }),
    }
    const refused = bugle('import', file('{}'), ...there())
    await expect(refused).rejects.toBeInstanceOf(BadInput)
    await expect(refused).rejects.toThrow('calendars[0].days: A day rule is expected.\nToo large.')
  })

  it.each<[string, () => string[], RegExp, boolean]>([
    ['a file that is not there', () => [join(folder, 'none.json'), ...there()], /none\.json cannot be read: /, true],
    ['no server', () => [file('{}'), '--token', 'x'], /--server URL is missing/, true],
    [
      'a server that is no address',
      () => [file('{}'), '--server', 'bugle', '--token', 'x'],
      /--server URL is missing/,
      true,
    ],
    ['no token', () => [file('{}'), '--server', url()], /An access token is missing/, true],
    [
      'a server out of reach',
      () => [file('{}'), '--server', 'http://127.0.0.1:9', '--token', 'x'],
      /cannot be reached/,
      false,
    ],
  ])('says what is wrong with %s', async (_, args, message, isBadInput) => {
    const refused = bugle('import', ...args())
    await expect(refused).rejects.toThrow(message)
    expect(await refused.catch((error: unknown) => error instanceof BadInput)).toBe(isBadInput)
  })

  it.each([
    [403, '{"detail":"Your role may not change work."}', 'Your role may not change work.', true],
    [404, '<html>', 'The server answered 404.', true],
    [500, '{"detail":"Out of order."}', 'Out of order.', false],
  ])('passes on an answer of %i', async (status, body, message, isBadInput) => {
    answer = { status, body }
    const refused = bugle('import', file('{}'), ...there())
    await expect(refused).rejects.toThrow(message)
    expect(await refused.catch((error: unknown) => error instanceof BadInput)).toBe(isBadInput)
  })
})

describe('bugle export', () => {
  it('prints the bundle, or writes it to a file that can be read back', async () => {
    answer.body = '{"format":"bugle-bundle/1","calendars":[]}'
    expect(await bugle('export', ...there())).toEqual([JSON.parse(answer.body)])
    const out = join(folder, 'out.json')
    expect(await bugle('export', '--out', out, ...there())).toEqual([{ written: out }])
    expect(JSON.parse(readFileSync(out, 'utf8'))).toEqual(JSON.parse(answer.body))
    expect(asked.map(({ method, path }) => `${method} ${path}`)).toEqual(['GET /api/v1/bundle', 'GET /api/v1/bundle'])
  })
})

describe('forecast and tune of a server', () => {
  const NIGHT = ['--from', '2027-03-09T12:00:00Z', '--hours', '24']
  const says = (body: object): void => void (answer = { status: 200, body: JSON.stringify(body) })

  it('ask for the stretch, and print the forecast alone', async () => {
    says({ forecast: { runs: [] }, demand: {} })
    expect(await bugle('forecast', ...NIGHT, '--samples', '50', ...there())).toEqual([{ runs: [] }])
    expect(asked[0]).toMatchObject({ method: 'GET', token: 'Bearer bgt_x' })
    expect(asked[0]?.path).toBe('/api/v1/tuning/night?from=2027-03-09T12%3A00%3A00.000Z&hours=24&samples=50')
    await expect(bugle('forecast', ...NIGHT, '--samples', '5000', ...there())).rejects.toThrow('--samples')
    await expect(bugle('forecast', '--hours', '24', ...there())).rejects.toThrow('--from')
  })

  it('take changes along, and a search what it is to keep to', async () => {
    says({ before: { forecast: 1 }, after: { forecast: 2 }, difference: 3 })
    const change = file(JSON.stringify([{ off: { trigger: 'pulse' } }]))
    expect(await bugle('forecast', ...NIGHT, '--change', change, ...there())).toEqual([
      { before: 1, after: 2, difference: 3 },
    ])
    expect(JSON.parse(asked[0]?.body ?? '')).toMatchObject({
      hours: 24,
      samples: 0,
      changes: [{ off: { trigger: 'pulse' } }],
    })
    says({ proposal: { moves: [] }, leastPeaks: {} })
    expect(await bugle('tune', ...NIGHT, '--grid', 'PT10M', '--keep', 'a, b', ...there())).toEqual([{ moves: [] }])
    expect(JSON.parse(asked[1]?.body ?? '')).toMatchObject({ grid: 10, seconds: 10, only: null, keep: ['a', 'b'] })
  })

  it('look back part by part until all is done, and score it', async () => {
    const row = {
      lead: '2h',
      trigger: 't',
      title: 'T',
      chance: 1,
      inTime: true,
      finishP50: 10,
      finish: 20,
      length: 100,
    }
    const parts = [
      { rows: [row], forecasts: 1, next: '2027-03-01T00:00:00Z' },
      { rows: [row, row], forecasts: 2, next: null },
    ]
    next = () => JSON.stringify(parts.shift())
    const [scores] = (await bugle('forecast', '--backtest', '28', ...there())) as {
      forecasts: number
      byLead: { '2h': { count: number } }
    }[]
    expect(scores).toMatchObject({ forecasts: 3, byLead: { '2h': { count: 3, errorP50: 10 } } })
    expect(asked.map(({ body }) => JSON.parse(body) as unknown)).toEqual([
      { days: 28 },
      { days: 28, before: '2027-03-01T00:00:00Z' },
    ])
    await expect(bugle('forecast', '--backtest', '0', ...there())).rejects.toThrow('--backtest')
  })
})
