import { mkdtempSync, rmSync } from 'node:fs'
import { connect } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { ItemDoor } from './item-door'

let folder: string
let door: ItemDoor
const asked: [string, unknown][] = []

beforeEach(() => {
  asked.length = 0
  folder = mkdtempSync(join(tmpdir(), 'bugle-door-'))
  door = new ItemDoor(folder, null, (request, ask) => {
    asked.push([request, ask])
    return Promise.resolve({ ok: true, answer: { item: null } })
  })
})
afterEach(() => {
  door.close()
  rmSync(folder, { recursive: true, force: true })
})

/** What comes back on one connection for these pieces, to its end. */
const said = (...pieces: string[]): Promise<string> =>
  new Promise((resolve, reject) => {
    let text = ''
    const socket = connect(join(folder, 's'))
    socket.setEncoding('utf8')
    socket.on('data', (data) => (text += String(data)))
    socket.on('error', reject)
    socket.on('end', () => resolve(text))
    for (const piece of pieces) socket.write(piece)
  })

it('passes on a question that comes in pieces, and answers it in a line', async () => {
  expect(await said('{"request": "request-1", "ask": {"do"', ': "take", "queue": "refunds"}}\n')).toBe(
    '{"ok":true,"answer":{"item":null}}\n',
  )
  expect(asked).toEqual([['request-1', { do: 'take', queue: 'refunds' }]])
})

it.each([
  ['no JSON', 'take refunds\n'],
  ['no number of the question', '{"ask": {"do": "take"}}\n'],
  ['a number that is none', '{"request": "../../etc", "ask": {}}\n'],
])('refuses %s, and goes on', async (_, text) => {
  expect(await said(text)).toBe('{"ok":false,"why":"This is no question."}\n')
  expect(await said('{"request": "request-2", "ask": {"do": "take"}}\n')).toContain('"ok":true')
  expect(asked).toHaveLength(1)
})

it('refuses what nests so deep that it could not be sent on', async () => {
  const deep = `${'['.repeat(200_000)}${']'.repeat(200_000)}`
  expect(await said(`{"request": "request-3", "ask": {"do": "add", "new": {"data": ${deep}}}}\n`)).toBe(
    '{"ok":false,"why":"This nests deeper than 500."}\n',
  )
  expect(asked).toEqual([])
})

it('refuses once what is longer than an item may be, and keeps nothing of what comes after', async () => {
  const piece = 'x'.repeat(200 * 1024)
  expect(await said(...Array.from({ length: 20 }, () => piece))).toBe(
    '{"ok":false,"why":"This is more than an item may hold."}\n',
  )
  expect(asked).toEqual([])
})
