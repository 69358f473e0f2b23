import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { Command } from 'commander'
import type { Comparison } from '@/service/runs/compare'
import { addCompareCommand, comparisonInText } from './compare'

const head = (id: number, change: object = {}): Comparison['a'] => ({
  id,
  title: 'Configuration check',
  state: 'succeeded',
  startedAt: null,
  lines: 3,
  lacks: null,
  ...change,
})
const FOUND: Comparison = {
  a: head(17),
  b: head(18, { lacks: 'Its output was cleared away.' }),
  facts: [{ what: 'machine', a: 'kelda-app1', b: null }],
  stretches: [
    { kind: 'folded', lines: [], folded: 12 },
    { kind: 'same', lines: [{ a: 13, b: 13, text: 'port = 1' }], folded: 0 },
    { kind: 'taken away', lines: [{ a: 14, b: null, text: 'most = 5' }], folded: 0 },
    { kind: 'put in', lines: [{ a: null, b: 14, text: 'most = 6' }], folded: 0 },
  ],
  takenAway: 1,
  putIn: 1,
  isCut: false,
}

let server: Server | undefined
const asked: string[] = []
afterEach(() => server?.close())

async function run(...args: string[]): Promise<unknown> {
  server = createServer((request, response) => {
    asked.push(request.url ?? '')
    response.end(JSON.stringify(FOUND))
  }).listen(0, '127.0.0.1')
  await new Promise((resolve) => server?.once('listening', resolve))
  const program = new Command('bugle').exitOverride()
  let printed: unknown
  addCompareCommand(program, (value) => (printed = value))
  const at = `http://127.0.0.1:${(server.address() as AddressInfo).port}`
  await program.parseAsync(['node', 'bugle', 'compare', ...args, '--server', at, '--token', 'bgt_x'])
  return printed
}

it('asks the server with what does not count, and prints what it says', async () => {
  expect(await run('#17', '18', '--off', 'instants', 'run numbers', '--own', 'row \\d+', '--around', '0')).toEqual(
    FOUND,
  )
  const query = new URL(asked.at(-1) ?? '', 'http://x').searchParams
  expect(Object.fromEntries(query)).toEqual({
    a: '17',
    b: '18',
    off: 'instants\nrun numbers',
    own: 'row \\d+',
    around: '0',
  })
})

it('refuses what is no run', async () => {
  await expect(run('17', 'last')).rejects.toThrow('17 and last are not two numbers of runs.')
})

it('reads like a difference', () => {
  expect(comparisonInText(FOUND)).toEqual([
    '--- #17 Configuration check, succeeded',
    '+++ #18 Configuration check, succeeded',
    '  Its output was cleared away.',
    'machine: "kelda-app1" | not there',
    '',
    '… 12 lines the same',
    '  port = 1',
    '- most = 5',
    '+ most = 6',
    '1 lines only in #17, 1 only in #18',
  ])
  const same = { ...FOUND, stretches: [], takenAway: 0, putIn: 0 }
  expect(comparisonInText(same).at(-1)).toBe('The outputs are the same.')
})
