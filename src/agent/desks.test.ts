import { mkdtempSync, rmSync, statSync } from 'node:fs'
import { tmpdir, userInfo } from 'node:os'
import { join } from 'node:path'
import { PassThrough } from 'node:stream'
import { runDesk } from './desk-program'
import { Desks, deskSocket } from './desks'
import type { DeskQuestion, DeskState, ItemAnswer } from './protocol'

let folder: string
let agent: Desks
let asked: DeskQuestion[]
let there: string[][]
let answer: (question: DeskQuestion) => Promise<ItemAnswer>
const AT = Date.UTC(2027, 2, 9, 14, 20)
const state = (more: Partial<DeskState> = {}): DeskState => ({
  robot: 'kelda-desk3',
  user: userInfo().username,
  person: 'Wren Halloran',
  questions: [
    { ask: 41, run: 1234, title: 'Sort the post', from: 'Petra', usualMs: 240_000, how: 'asked', at: AT },
    { ask: 42, run: 1240, title: 'Print labels', from: 'the trigger “Labels”', usualMs: null, how: 'no', at: AT },
  ],
  may: [{ job: 'tides', title: 'Look up the tides', inputs: ['day'] }],
  ...more,
})

beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'bugle-desk-'))
  ;[asked, there] = [[], []]
  answer = () => Promise.resolve({ ok: true, answer: { text: 'Heard.' } })
  agent = begin()
})
afterEach(() => {
  agent.stop()
  rmSync(folder, { recursive: true, force: true })
})
function begin(): Desks {
  const made = new Desks({
    folder,
    ask: (question) => {
      asked.push(question)
      return answer(question)
    },
    tellThere: (robots) => there.push([...robots]),
    log: () => undefined,
  })
  made.connected()
  return made
}

/** A person at a robot: types, and reads until something is said. */
function sit(robot = 'kelda-desk3'): {
  type: (line: string) => void
  reads: (words: RegExp) => Promise<string>
  end: Promise<void>
} {
  const input = new PassThrough()
  let said = ''
  let look = (): void => undefined
  const end = runDesk(folder, robot, {
    input,
    out: (text) => {
      said += `${text}\n`
      look()
    },
  })
  return {
    type: (line) => void input.write(`${line}\n`),
    // What was read is not read again.
    reads: (words) =>
      new Promise((resolve) => {
        look = () => {
          if (!words.test(said)) return
          const read = said
          said = ''
          look = () => undefined
          resolve(read)
        }
        look()
      }),
    end,
  }
}

it('shows what is asked, from whom, how long usually, and what the person may start', async () => {
  agent.set([state()])
  const desk = sit()
  const words = await desk.reads(/quit/)
  expect(words).toContain('kelda-desk3, as')
  expect(words).toContain('1  Sort the post (#1234), from Petra; usually 4 min; answer until')
  expect(words).toContain(
    '2  Print labels (#1240), from the trigger “Labels”; nobody knows yet how long it takes; you said no; it still waits',
  )
  expect(words).toContain('tides  Look up the tides (day)')
  expect(there.at(-1)).toEqual(['kelda-desk3'])
  // Only its account can open the door.
  expect(statSync(deskSocket(folder, 'kelda-desk3')).mode & 0o777).toBe(0o600)
  desk.type('quit')
  await desk.end
})

it.each([
  ['now 1', { do: 'now', ask: 41 }],
  ['in 10 2', { do: 'later', ask: 42, minutes: 10 }],
  ['no 1', { do: 'no', ask: 41 }],
  ['start tides day=2027-03-09 note=a=b', { do: 'start', job: 'tides', inputs: { day: '2027-03-09', note: 'a=b' } }],
])('passes on “%s”', async (line, ask) => {
  agent.set([state()])
  const desk = sit()
  await desk.reads(/quit/)
  desk.type(line)
  await desk.reads(/Heard\./)
  expect(asked).toEqual([{ robot: 'kelda-desk3', request: expect.any(String), ask }])
  desk.type('quit')
  await desk.end
})

it.each([
  ['now 7', /Which one, from 1 to 2\?/],
  ['now', /Which one, from 1 to 2\?/],
  ['in soon 1', /In how many minutes\? From 1 to 1440/],
  ['in 1441 1', /In how many minutes\?/],
  ['start', /Start what\?/],
  ['start tides monday', /monday is no input: write NAME=VALUE\./],
  ['yes', /There is no word yes here\.[\s\S]*now N/],
])('“%s” is answered in a sentence, and nothing is passed on', async (line, words) => {
  agent.set([state()])
  const desk = sit()
  await desk.reads(/quit/)
  desk.type(line)
  await desk.reads(words)
  expect(asked).toEqual([])
  desk.type('quit')
  await desk.end
})

it('says what is refused; an only question needs no number', async () => {
  answer = () => Promise.resolve({ ok: false, why: '#1234 does not wait for you any more.' })
  agent.set([state({ questions: state().questions.slice(0, 1) })])
  const desk = sit()
  await desk.reads(/quit/)
  desk.type('now')
  await desk.reads(/does not wait for you any more/)
  desk.type('quit')
  await desk.end
})

it('goes on over an agent that ends and comes back, and a server that is out of reach', async () => {
  agent.set([state()])
  const desk = sit()
  await desk.reads(/quit/)
  agent.away()
  await desk.reads(/the server is out of reach/)
  agent.stop()
  await desk.reads(/The agent is away; it is called again/)
  agent = begin()
  agent.set([state({ questions: [] })])
  expect(await desk.reads(/quit/)).toContain('Nothing is asked.')
  expect(there.at(-1)).toEqual(['kelda-desk3'])
  desk.type('quit')
  await desk.end
  // Nobody is there any more: that is told, too.
  await new Promise((resolve) => setTimeout(resolve, 50))
  expect(there.at(-1)).toEqual([])
})

it('the word at the end of what is piped in is still answered', async () => {
  agent.set([state()])
  let release: (said: ItemAnswer) => void = () => undefined
  answer = () => new Promise((resolve) => (release = resolve))
  const input = new PassThrough()
  const said: string[] = []
  const end = runDesk(folder, 'kelda-desk3', {
    input,
    out: (text) => {
      said.push(text)
      if (text.includes('Asked:')) input.end('no 1\n')
    },
  })
  while (asked.length === 0) await new Promise((resolve) => setTimeout(resolve, 10))
  release({ ok: true, answer: { text: 'Not here.' } })
  await end
  expect(said).toContain('Not here.')
})

it('a robot that is gone has no door any more', async () => {
  agent.set([state()])
  const desk = sit()
  await desk.reads(/quit/)
  agent.set([])
  await desk.reads(/The agent is away/)
  desk.type('quit')
  await desk.end
})
