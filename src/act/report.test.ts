import { mkdtempSync, rmSync } from 'node:fs'
import { createServer, type Server } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { ActFault, type Context } from './context'
import { report } from './report'

let dir: string
let server: Server | undefined
const heard: { request: string; ask: { do: string; result?: number } }[] = []
const said: string[] = []
const handed: Record<string, string> = {}

beforeEach(() => {
  dir = mkdtempSync(join(tmpdir(), 'bugle-door-'))
  heard.length = 0
  said.length = 0
  for (const key of Object.keys(handed)) delete handed[key]
})
afterEach(() => {
  server?.close()
  rmSync(dir, { recursive: true, force: true })
})

/** A door that answers in turn; null: the line breaks before there is an answer. */
function doorOf(answers: (object | null)[]): string {
  const path = join(dir, 's')
  server = createServer((client) =>
    client
      .on('error', () => undefined)
      .once('data', (data) => {
        heard.push(JSON.parse(String(data)) as (typeof heard)[number])
        const answer = answers.shift()
        if (answer === null) client.destroy()
        else client.end(`${JSON.stringify(answer ?? { ok: false, why: 'Nothing more is known.' })}\n`)
      }),
  ).listen(path)
  return path
}
const contextWith = (door: string | null): Context => ({
  values: {},
  account: null,
  run: '18204',
  attempt: '2',
  door,
  say: (line) => void said.push(line),
  warn: () => undefined,
  hand: (name, value) => void (handed[name] = value),
})
const ACTION = { kind: 'report', report: 'monthly-fleet-review' } as const
const state = (change: object): object => ({
  ok: true,
  answer: { state: 'making', step: '', reason: '', pages: null, period: '', ...change },
})

it('asks for it once, tells how far it is, and hands on what came of it', async () => {
  const door = doorOf([
    // The agent was killed: the same question again.
    null,
    { ok: true, answer: { result: 71, title: 'Monthly fleet review' } },
    state({ step: 'reads runs: 5,000 of 20,000' }),
    state({ step: 'reads runs: 5,000 of 20,000' }),
    state({ state: 'made', pages: 4, period: '1 – 30 Nov 2026' }),
  ])
  await report(ACTION, contextWith(door))
  expect(said).toEqual([
    'Asked for Monthly fleet review: result 71',
    'reads runs: 5,000 of 20,000',
    'Made: 1 – 30 Nov 2026, 4 pages',
  ])
  expect(handed).toEqual({ result: '71', pages: '4' })
  expect(heard.slice(0, 2).map(({ request, ask }) => [request, ask.do])).toEqual([
    ['report-18204-2', 'report'],
    ['report-18204-2', 'report'],
  ])
  expect(new Set(heard.slice(2).map(({ request }) => request)).size).toBe(3)
})

it('fails with the reason why it could not be made, was stopped, or was refused', async () => {
  const first = { ok: true, answer: { result: 71, title: 'x' } }
  await expect(
    report(ACTION, contextWith(doorOf([first, state({ state: 'failed', reason: 'Its owner is gone.' })]))),
  ).rejects.toThrow('Its owner is gone.')
  server?.close()
  rmSync(join(dir, 's'), { force: true })
  await expect(
    report(ACTION, contextWith(doorOf([{ ok: false, why: 'There is no report x any more.' }]))),
  ).rejects.toThrow('There is no report x any more.')
  await expect(report(ACTION, contextWith(null))).rejects.toThrow(ActFault)
})
