import fc from 'fast-check'
import { fleet, instant, NOW, ready } from './arbitrary.test-help'
import { MOST_ASKED, whomToAsk, type DeskState } from './asking'
import { isEligible } from './eligible'
import { anAgent, aRun } from './facts.test-help'
import { place, type AgentState, type ReadyRun } from './index'

const robot = (
  name: string,
  { attended = true, ...more }: Partial<AgentState> & { attended?: boolean } = {},
): AgentState =>
  anAgent(name, {
    robot: { agent: 'ops1', isAgentOn: true, isAttended: attended, outOfHours: null, accountFault: null },
    slots: 1,
    ...more,
  })
const run = (number: number, desk?: ReadyRun['desk']): ReadyRun =>
  aRun(number, { target: { robotPool: 'quay' }, ...(desk ? { desk } : {}) })
const busy = [{ number: 99, slots: 1, locks: {}, startedAtMs: NOW, usualMs: 60_000 }]
const desks = (states: Record<string, Partial<DeskState>> = {}): Map<string, DeskState> =>
  new Map(Object.entries(states).map(([name, state]) => [name, { isThere: false, open: 0, ...state }]))
const asked = (live: string | null, answers: Record<string, string> = {}): ReadyRun['desk'] => ({
  live: live === null ? null : { robot: live, how: 'asked', atMs: NOW },
  answers,
})

describe('whom to ask', () => {
  it('asks whoever is there, else the one whose robot rests longest, and nobody twice', () => {
    const three = [robot('a', { lastStartAtMs: NOW }), robot('b', { lastStartAtMs: NOW - 5 }), robot('c')]
    const first = (...more: Parameters<typeof desks>): unknown => whomToAsk([run(1)], three, desks(...more), NOW).ask
    expect(first()).toEqual([{ number: 1, robot: 'c' }])
    expect(first({ a: { isThere: true } })).toEqual([{ number: 1, robot: 'a' }])
    const said = run(1, asked(null, { c: 'the person at it said no' }))
    expect(whomToAsk([said], three, desks(), NOW).ask).toEqual([{ number: 1, robot: 'b' }])
  })

  it('disturbs nobody while a robot fits that takes it by itself, however busy', () => {
    const two = [robot('a'), robot('z', { attended: false, running: busy })]
    expect(whomToAsk([run(1)], two, desks(), NOW)).toEqual({ ask: [], over: [], nobody: [] })
  })

  it('asks for a robot that is busy when it is not, and each person only so much at once', () => {
    expect(whomToAsk([run(1)], [robot('a', { running: busy })], desks(), NOW).ask).toEqual([])
    const many = Array.from({ length: 20 }, (_, i) => run(i + 1))
    expect(whomToAsk(many, [robot('a'), robot('b')], desks({ a: { open: 3 } }), NOW).ask).toHaveLength(
      2 * MOST_ASKED - 3,
    )
  })

  it('asks no longer at a robot that cannot take it any more; says when everybody was asked in vain', () => {
    const away = robot('a', { connected: false })
    expect(whomToAsk([run(1, asked('a'))], [away, robot('b')], desks(), NOW).over).toEqual([1])
    expect(whomToAsk([run(1, asked('a'))], [robot('a')], desks(), NOW).over).toEqual([])
    const inVain = run(1, asked(null, { a: 'the person at it gave no answer' }))
    expect(whomToAsk([inVain], [robot('a')], desks(), NOW).nobody).toEqual([1])
    // What fits no robot at all waits for one, as ever.
    expect(whomToAsk([inVain], [away], desks(), NOW)).toEqual({ ask: [], over: [], nobody: [] })
  })

  it('whatever the night: who is asked could take the run at once, and nothing else could', () => {
    fc.assert(
      fc.property(fleet, ready, instant, ({ agents, locks }, runs, now) => {
        const { ask, nobody } = whomToAsk(runs, agents, desks(), now)
        for (const { number, robot: name } of ask) {
          const one = runs.find((each) => each.number === number) as ReadyRun
          expect(agents.some((place) => place.robot !== null && isEligible(one, place))).toBe(false)
          const agreed: ReadyRun = { ...one, desk: { live: { robot: name, how: 'agreed', atMs: now }, answers: {} } }
          const alone = {
            agents: agents.filter((place) => place.robot !== null),
            locks: { ...locks, 'fares-db': 99, printer: 99 },
          }
          expect(place(alone, [agreed], now).starts.map((start) => start.robot)).toEqual([name])
        }
        for (const number of nobody) expect(runs.find((each) => each.number === number)?.desk?.answers).not.toEqual({})
      }),
    )
  })
})
