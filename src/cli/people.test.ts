import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { Command } from 'commander'
import { BadInput } from './bad-input'
import { addPeopleCommands } from './people'

const folder = mkdtempSync(join(tmpdir(), 'bugle-people-'))
afterAll(() => rmSync(folder, { recursive: true }))
let files = 0
const fileOf = (content: unknown): string => {
  const file = join(folder, `rights-${files++}.json`)
  writeFileSync(file, typeof content === 'string' ? content : JSON.stringify(content))
  return file
}
const OFFICE = {
  people: [
    { id: 'wren', role: 'none' },
    { id: 'callum', role: 'operator' },
  ],
  groups: [{ id: 'night', people: ['callum'] }],
  areas: [
    { id: 'sailing', in: null, closed: false, grants: [{ group: 'night', may: 'operate' }] },
    { id: 'refunds', in: 'sailing', closed: true, grants: [{ person: 'wren', may: 'manage' }] },
  ],
}

async function bugle(...args: string[]): Promise<unknown> {
  const printed: unknown[] = []
  const program = new Command().exitOverride()
  addPeopleCommands(program, (value) => printed.push(value))
  await program.parseAsync(['node', 'bugle', 'rights', ...args])
  return printed[0]
}

it('says of each person and area what may be done and why, in the order of the file, people first', async () => {
  expect(await bugle(fileOf(OFFICE))).toEqual({
    rights: [
      { person: 'wren', area: 'sailing', may: 'none', from: [] },
      { person: 'wren', area: 'refunds', may: 'manage', from: ['grant on refunds'] },
      { person: 'callum', area: 'sailing', may: 'operate', from: ['role operator', 'group night on sailing'] },
      { person: 'callum', area: 'refunds', may: 'none', from: [] },
    ],
  })
})

it('says it of one person, on one area', async () => {
  expect(await bugle(fileOf(`\uFEFF${JSON.stringify(OFFICE)}`), '--person', 'wren', '--area', 'refunds')).toEqual({
    rights: [{ person: 'wren', area: 'refunds', may: 'manage', from: ['grant on refunds'] }],
  })
})

it.each([
  ['a file that is not there', ['/nowhere/rights.json'], /cannot be read/],
  ['no JSON', [fileOf('{')], /is not JSON/],
])('refuses %s', async (_, args, message) => {
  const given = bugle(...args)
  await expect(given).rejects.toThrow(BadInput)
  await expect(given).rejects.toThrow(message)
})

it('refuses what the file does not have, every fault with its path', async () => {
  await expect(bugle(fileOf(OFFICE), '--person', 'nobody')).rejects.toThrow('--person: There is no person nobody')
  await expect(bugle(fileOf(OFFICE), '--area', 'nowhere')).rejects.toThrow('--area: There is no area nowhere')
  await expect(bugle(fileOf({ ...OFFICE, groups: [{ id: 'night', people: ['x'] }] }))).rejects.toThrow(
    'groups[0].people[0]: There is no person x in this file.',
  )
  const many = (name: string): object[] => Array.from({ length: 1001 }, (_, i) => ({ id: `${name}${i}`, role: 'none' }))
  const areas = many('a').map((each) => ({ ...each, role: undefined }))
  await expect(bugle(fileOf({ people: many('p'), areas }))).rejects.toThrow(/1002001 pairs .* Choose with --person/)
})

describe('of a server', () => {
  const before = globalThis.fetch
  afterEach(() => (globalThis.fetch = before))
  const server = ['--server', 'https://bugle.example', '--token', 'bgt_x']

  it('says the same of what the server has', async () => {
    const asked: unknown[] = []
    globalThis.fetch = ((url: string, init: RequestInit) => {
      asked.push([url, init.headers])
      return Promise.resolve(Response.json(OFFICE))
    }) as typeof fetch
    expect(await bugle(...server, '--person', 'wren', '--area', 'refunds')).toEqual({
      rights: [{ person: 'wren', area: 'refunds', may: 'manage', from: ['grant on refunds'] }],
    })
    expect(asked).toEqual([
      ['https://bugle.example/api/v1/rights', expect.objectContaining({ authorization: 'Bearer bgt_x' })],
    ])
    await expect(bugle(...server, '--person', 'nobody')).rejects.toThrow('There is no person nobody on this server.')
  })

  it('takes a file or a server, and says what is missing', async () => {
    await expect(bugle(fileOf(OFFICE), ...server)).rejects.toThrow(new BadInput('Give a file or --server, not both.'))
    await expect(bugle()).rejects.toThrow('A file is missing; or --server URL')
  })
})
