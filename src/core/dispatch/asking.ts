import { isEligible, whatLacks } from './eligible'
import { compareTurns, turnOf } from './order'
import type { AgentState, ReadyRun } from './types'

/** So many questions are put to one person at once. */
export const MOST_ASKED = 5

/** A robot with the person at it. */
export interface DeskState {
  /** Their desk program is open. */
  readonly isThere: boolean
  /** Questions that they have not answered yet. */
  readonly open: number
}

export interface Asking {
  /** Who is to be asked now. */
  readonly ask: readonly { readonly number: number; readonly robot: string }[]
  /** Runs whose robot cannot take them any more: its person is asked no longer. */
  readonly over: readonly number[]
  /** Runs for which everybody who could be asked has been asked in vain. */
  readonly nobody: readonly number[]
}

/**
 * Whom to ask whether their robot may take a run. Nobody is disturbed while a robot fits that takes the run by itself, however busy it is; of attended ones whoever is there comes
 * first, then the robot whose last start is longest ago, then by name. A robot that is busy is asked when it is not.
 *
 * @param ready robot tasks
 * @param desks by robot's name; missing: nobody is there, and nothing is open
 */
export function whomToAsk(
  ready: readonly ReadyRun[],
  places: readonly AgentState[],
  desks: ReadonlyMap<string, DeskState>,
  nowMs: number,
): Asking {
  const robots = places.filter(({ robot }) => robot !== null)
  const byName = new Map(robots.map((robot) => [robot.name, robot]))
  const open = new Map([...desks].map(([name, desk]) => [name, desk.open]))
  const [ask, over, nobody]: [Asking['ask'][number][], number[], number[]] = [[], [], []]
  for (const { run } of ready.map((each) => turnOf(each, nowMs)).sort(compareTurns)) {
    if (run.held || run.off || run.kindOff !== undefined) continue
    const live = run.desk?.live
    if (live) {
      const robot = byName.get(live.robot)
      if (!robot || !couldTake(run, robot)) over.push(run.number)
      continue
    }
    if (robots.some((robot) => isEligible(run, robot))) continue
    const fit = robots.filter((robot) => robot.robot?.isAttended && couldTake(run, robot))
    const left = fit.filter(({ name }) => run.desk?.answers[name] === undefined)
    if (left.length === 0) {
      if (fit.length > 0) nobody.push(run.number)
      continue
    }
    const [first] = left
      .filter(({ name, running }) => running.length === 0 && (open.get(name) ?? 0) < MOST_ASKED)
      .sort((a, b) => compareRobots(a, b, desks))
    if (!first) continue
    open.set(first.name, (open.get(first.name) ?? 0) + 1)
    ask.push({ number: run.number, robot: first.name })
  }
  return { ask, over, nobody }
}

/** Nothing but a person's word keeps it from this run. */
const couldTake = (run: ReadyRun, place: AgentState): boolean =>
  place.robot !== null && whatLacks(run, { ...place, robot: { ...place.robot, isAttended: false } }).length === 0

function compareRobots(a: AgentState, b: AgentState, desks: ReadonlyMap<string, DeskState>): number {
  const isThere = ({ name }: AgentState): number => (desks.get(name)?.isThere ? 0 : 1)
  return (
    isThere(a) - isThere(b) ||
    (a.lastStartAtMs ?? -Infinity) - (b.lastStartAtMs ?? -Infinity) ||
    (a.name < b.name ? -1 : 1)
  )
}
