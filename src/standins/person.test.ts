import type { DeskState } from '@/agent/protocol'
import { madeUpPerson } from './person'

type Question = DeskState['questions'][number]
const question = (ask: number, how: Question['how'] = 'asked'): Question => ({
  ask,
  run: ask,
  title: 'Sort the post',
  from: 'Petra',
  usualMs: null,
  how,
  at: 0,
})
const desk = (...questions: Question[]): DeskState => ({ robot: 'desk3', user: 'u', person: null, questions, may: [] })

beforeEach(() => jest.useFakeTimers())
afterEach(() => jest.useRealTimers())

/** What comes of so many questions within two minutes. */
function answers(count: number): Record<string, number> {
  const said: Record<string, number> = { now: 0, later: 0, no: 0 }
  const person = madeUpPerson('desk3')
  const all = Array.from({ length: count }, (_, i) => question(i + 1))
  const answer = (ask: object): Promise<never> => {
    const { do: what } = ask as { do: string }
    said[what] = (said[what] ?? 0) + 1
    return Promise.reject(new Error('The line is down.'))
  }
  person.hear(desk(...all), answer)
  // Told again, they are the same questions.
  person.hear(desk(...all, question(count + 1, 'no')), answer)
  jest.advanceTimersByTime(14_000)
  expect(said).toEqual({ now: 0, later: 0, no: 0 })
  jest.advanceTimersByTime(120_000)
  return said
}

it('is mostly helpful, sometimes late or not in the mood, and now and then not there; the same at each start', () => {
  const said = answers(400)
  const [now = 0, later = 0, no = 0] = [said.now, said.later, said.no]
  expect(now / 400).toBeCloseTo(0.6, 1)
  expect(later / 400).toBeCloseTo(0.15, 1)
  expect(no / 400).toBeCloseTo(0.15, 1)
  expect(400 - now - later - no).toBeGreaterThan(10)
  expect(answers(400)).toEqual(said)
})
