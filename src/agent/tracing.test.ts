import type { TraceLine } from './protocol'
import { Tracing } from './tracing'

let nowMs: number
let sent: { trace: number; lines: TraceLine[] }[]
let isUp: boolean
let tracing: Tracing
beforeEach(() => {
  jest.useFakeTimers()
  ;[nowMs, sent, isUp] = [1000, [], true]
  tracing = new Tracing({
    now: () => nowMs,
    send: (trace, lines) => {
      if (isUp) sent.push({ trace, lines })
      return isUp
    },
  })
})
afterEach(() => {
  tracing.stop()
  jest.useRealTimers()
})
const pass = (ms = 1000): void => {
  nowMs += ms
  jest.advanceTimersByTime(ms)
}
const said = (): string[] => sent.flatMap(({ lines }) => lines.map(({ what }) => what))

it('tells nothing until it is asked to, and then what happens, in pieces', () => {
  tracing.note('takes', { attempt: 1 })
  pass()
  expect(sent).toEqual([])
  tracing.set({ trace: 7, until: 100_000 })
  for (let i = 0; i < 700; i++) tracing.note('takes', { attempt: i })
  pass()
  expect(sent.map(({ trace, lines }) => [trace, lines.length])).toEqual([
    [7, 500],
    [7, 201],
  ])
  expect(sent[0]?.lines.slice(0, 2)).toMatchObject([
    { what: 'trace' },
    { at: 2000, what: 'takes', facts: { attempt: 0 } },
  ])
})

it('keeps what it cannot send for a while, and says how much it left out', () => {
  tracing.set({ trace: 7, until: 1_000_000 })
  isUp = false
  for (let i = 0; i < 2500; i++) tracing.note('takes')
  pass()
  isUp = true
  pass()
  pass()
  expect(said().filter((what) => what === 'takes')).toHaveLength(1999)
  expect(sent.at(-1)?.lines).toMatchObject([{ what: 'left out', facts: { lines: 501 } }])
})

it('ends by itself, and when it is told to', () => {
  tracing.set({ trace: 7, until: 3000 })
  pass()
  expect(tracing.isOn).toBe(true)
  pass()
  expect(tracing.isOn).toBe(false)
  tracing.set({ trace: 8, until: 100_000 })
  expect(tracing.isOn).toBe(true)
  tracing.set(null)
  expect(tracing.isOn).toBe(false)
  // One that is over by the time that the agent hears of it is none.
  tracing.set({ trace: 9, until: nowMs })
  expect(tracing.isOn).toBe(false)
})
