import type { Bundle } from '../bundle/schema'
import { timeOfDay } from '../calendar/days'
import { modelOf } from '../forecast/build'
import type { Model } from '../forecast/model'
import type { Server } from '../forecast/server'
import { recorded } from '../forecast/report'
import { isoInstant } from '../timing/instants'
import { boardOf, compareScores, LoadBoard, type Score } from './board'
import { demandOf, type Choice, type Demand, type TuneRequest } from './demand'
import { leastPeaks, programOf, sizeOf, type Solved, type Solver, type Stretch } from './milp'
import type { Answer } from './best'
import { Search } from './search'

export interface Measure {
  readonly late: number
  readonly strain: number
  readonly peaks: Readonly<Record<string, number>>
  readonly relative: number
}

export interface Move {
  readonly trigger: string
  readonly from: string
  readonly to: string
  readonly minutes: number
  readonly reason: string
}

interface Lateness {
  readonly late: number
  readonly latenessSeconds: number
}

export interface Proposal {
  readonly moves: readonly Move[]
  readonly before: Measure
  readonly after: Measure
  readonly bound: { readonly late: number; readonly strain: number; readonly relative: number }
  readonly proven: boolean
  readonly forecast: { readonly before: Lateness; readonly after: Lateness }
  /** Why nothing is offered although something was found. */
  readonly withheld?: string
}

export interface TuneLimits {
  /** In milliseconds from the beginning. */
  readonly milliseconds: number
  /** Milliseconds, of any clock that goes on. */
  readonly clock: () => number
  readonly solve: Solver
  readonly seed?: number
  readonly onProgress?: (best: Score) => void
}

/** Moves tried between two looks at the clock. */
const BURST = 200
/** Of the time the share that goes to the search before the solver has a go: the larger the program, the less comes of that. What the solver leaves comes back to the search. */
const searchShare = (size: number): number => (size < 80_000 ? 0.3 : size < 200_000 ? 0.5 : 0.85)

/** Changes of start times that even the load, and how far from the best possible they are. Throws a ForecastFault. */
export function tune(bundle: Bundle, from: number, hours: number, request: TuneRequest, limits: TuneLimits): Proposal {
  return tuneWithPeaks(bundle, from, hours, request, limits).proposal
}

/** A proposal, and of each pool the peak below which no starts within these windows bring it, whatever the others. */
export interface Tuned {
  readonly proposal: Proposal
  readonly leastPeaks: Readonly<Record<string, number>>
}

/** The same, with what a chart of one pool shows besides. `server`: what is known beyond the bundle. */
export function tuneWithPeaks(
  bundle: Bundle,
  from: number,
  hours: number,
  request: TuneRequest,
  limits: TuneLimits,
  server: Server | null = null,
): Tuned {
  const { clock } = limits
  const begun = clock()
  const model = modelOf(bundle, from, hours, server)
  const lateBefore = latenessOf(model)
  // The forecast is made once more at the end, and the answer written.
  const until = begun + limits.milliseconds - 2 * (clock() - begun) - 60
  const demand = demandOf(bundle, model, request)
  const { answer, bound, peaks } = improve(demand, { ...limits, begun, until })
  const leastPeaks = Object.fromEntries(demand.pools.map(({ id }, pool) => [id, peaks[pool] as number]))
  const least = minimal(demand, answer)
  const before = measured(demand, asItIs(demand), demand.late.now)
  const after = measured(demand, boardOf(demand, least), demand.late.least)
  const moves = movesOf(demand, least)
  const facts = { before, bound: { late: demand.late.least, ...bound } }
  if (moves.length === 0) {
    const proven = isProven(before, facts.bound)
    const forecast = { before: lateBefore, after: lateBefore }
    return { proposal: { moves, ...facts, after: before, proven, forecast }, leastPeaks }
  }
  const lateAfter = latenessOf(modelOf(changed(bundle, demand, least), from, hours, server))
  if (lateAfter.late > lateBefore.late)
    return {
      leastPeaks,
      proposal: {
        moves: [],
        ...facts,
        after: before,
        proven: false,
        forecast: { before: lateBefore, after: lateBefore },
        withheld: `In the forecast ${lateAfter.late} deadlines would be missed instead of ${lateBefore.late}, so nothing is offered.`,
      },
    }
  return {
    leastPeaks,
    proposal: {
      moves,
      ...facts,
      after,
      proven: isProven(after, facts.bound),
      forecast: { before: lateBefore, after: lateAfter },
    },
  }
}

const isProven = (measure: Measure, bound: Proposal['bound']): boolean =>
  measure.late === bound.late && compareScores(measure, bound) <= 0

interface Effort extends TuneLimits {
  readonly begun: number
  readonly until: number
}

/** The best answer that is found in the time, and what no answer can be better than. */
function improve(demand: Demand, effort: Effort): { answer: Answer; bound: Score; peaks: readonly number[] } {
  const { clock, solve, begun, until } = effort
  const search = new Search(demand, effort.seed ?? 1)
  const size = sizeOf(demand)
  const peaks = leastPeaks(demand)
  let bound = scoreOf(demand, peaks)
  const isDone = (): boolean => compareScores(search.best.score, bound) <= 0
  const searchUntil = (instant: number, isEnough = (): boolean => false): void => {
    while (!isDone() && !isEnough() && clock() < instant) {
      search.step(BURST)
      effort.onProgress?.(search.best.score)
    }
  }
  searchUntil(begun + (until - begun) * searchShare(size), () => search.isStuck)
  if (isDone()) return { answer: search.best.answer, bound, peaks }
  if (size > MOST_ENTRIES) {
    searchUntil(until)
    return { answer: search.best.answer, bound, peaks }
  }
  const left = (): number => (until - clock()) / 1000
  raise(demand, peaks, search.best.answer, solve, left)
  bound = scoreOf(demand, peaks)
  if (isDone()) return { answer: search.best.answer, bound, peaks }
  const stretch = programOf(demand, peaks)
  if (search.best.score.strain > bound.strain) {
    const solved = solve(strainProgram(stretch), left() * 0.5, startOf(demand, stretch, search.best.answer))
    take(demand, stretch, solved, search)
    const strain = Math.max(bound.strain, Math.ceil(solved.bound - 1e-6))
    bound = { ...bound, strain: Math.min(strain, search.best.score.strain) }
  }
  if (!isDone() && left() > 0.05) {
    const most = search.best.score.strain
    const solved = solve(relativeProgram(demand, stretch, most), left(), startOf(demand, stretch, search.best.answer))
    take(demand, stretch, solved, search)
    const relative = Math.max(bound.relative, attainable(demand, solved.bound))
    bound = { ...bound, relative: Math.min(relative, search.best.score.relative) }
  }
  searchUntil(until)
  return { answer: search.best.answer, bound, peaks }
}

/** Programs with more entries take longer to write down than to wait for. */
const MOST_ENTRIES = 3_000_000
/** Of the time that is left the share that goes to pools by themselves. */
const POOLS_SHARE = 0.5

/** Each pool by itself, as if the others did not matter: its peak is at least what comes of that, and whole. */
function raise(demand: Demand, peaks: number[], answer: Answer, solve: Solver, left: () => number): void {
  const board = boardOf(demand, answer)
  const open = demand.pools.flatMap((_, pool) =>
    (peaks[pool] as number) < (board.peaks[pool] as number) ? [pool] : [],
  )
  const share = (left() * POOLS_SHARE) / Math.max(1, open.length)
  for (const pool of open) {
    const stretch = programOf(demand, peaks, pool)
    const column = stretch.peaks[pool] as number
    const cost = stretch.program.cost.slice()
    cost[column] = 1
    const colUpper = stretch.program.colUpper.slice()
    // That it can be as low as it is is known; the question is whether lower.
    colUpper[column] = board.peaks[pool] as number
    const { bound } = solve(
      { ...stretch.program, cost, colUpper },
      Math.min(share, left()),
      startOf(demand, stretch, answer),
    )
    if (Number.isFinite(bound)) peaks[pool] = Math.max(peaks[pool] as number, Math.ceil(bound - 1e-6))
  }
}

/** What the peaks themselves are worth. */
const scoreOf = ({ pools }: Demand, peaks: readonly number[]): Score => ({
  strain: pools.reduce((sum, { slots }, i) => sum + Math.max(0, (peaks[i] as number) - slots), 0),
  relative: pools.reduce((sum, { slots }, i) => sum + (peaks[i] as number) / slots, 0),
})

/** Sums of peaks are whole multiples of 1 ÷ the least common multiple of all slots: the least that is not below. */
function attainable({ pools }: Demand, bound: number): number {
  const gcd = (a: number, b: number): number => (b === 0 ? a : gcd(b, a % b))
  const common = pools.reduce((all, { slots }) => (all > 1e4 ? all : (all / gcd(all, slots)) * slots), 1)
  // A solver’s bound is exact to about a millionth.
  return common > 1e4 ? bound - 1e-5 : Math.ceil((bound - 1e-5) * common) / common
}

function strainProgram({ program, strains }: Stretch): Stretch['program'] {
  const cost = program.cost.slice()
  for (const column of strains) cost[column] = 1
  return { ...program, cost }
}

/** Least relative peaks with no more strain than this. */
function relativeProgram({ pools }: Demand, { program, peaks, strains }: Stretch, most: number): Stretch['program'] {
  const cost = program.cost.slice()
  pools.forEach(({ slots }, pool) => (cost[peaks[pool] as number] = 1 / slots))
  return {
    ...program,
    cost,
    rowLower: [...program.rowLower, -Infinity],
    rowUpper: [...program.rowUpper, most],
    indices: [...program.indices, ...strains],
    values: [...program.values, ...strains.map(() => 1)],
    starts: [...program.starts, program.indices.length + strains.length],
  }
}

function startOf(demand: Demand, { program, columns, peaks, strains }: Stretch, answer: Answer): number[] {
  const x = program.cost.map(() => 0)
  columns.forEach((first, i) => (x[first + (answer[i] as number)] = 1))
  const board = boardOf(demand, answer)
  demand.pools.forEach(({ slots }, pool) => {
    const peak = Math.max(board.peaks[pool] as number, program.colLower[peaks[pool] as number] as number)
    x[peaks[pool] as number] = peak
    x[strains[pool] as number] = Math.max(0, peak - slots)
  })
  return x
}

/** What the solver found is taken over if it is better. */
function take(demand: Demand, { columns }: Stretch, { x }: Solved, search: Search): void {
  if (x === null) return
  const answer = new Int32Array(demand.movable.length)
  demand.movable.forEach(({ choices }, i) => {
    const first = columns[i] as number
    const value = (c: number): number => x[first + c] ?? 0
    choices.forEach((_, c) => {
      if (value(c) > value(answer[i] as number)) answer[i] = c
    })
  })
  search.adopt(answer)
}

/** Shorter moves that are tried of each, the whole way back first. */
const MOST_TAKEN_BACK = 100

/** Without moves, and parts of moves, that gain nothing: each trigger as near to where it is as it can be. */
function minimal(demand: Demand, answer: Answer): Answer {
  const out = answer.slice()
  const board = boardOf(demand, out)
  const score = board.score()
  const order = demand.movable
    .map((movable, i) => ({ i, choices: movable.choices }))
    .sort((a, b) => minutesOf(b.choices, out[b.i] as number) - minutesOf(a.choices, out[a.i] as number))
  for (let isChanged = true; isChanged;) {
    isChanged = false
    for (const { i, choices } of order) {
      const at = out[i] as number
      const stride = Math.max(1, Math.floor(at / MOST_TAKEN_BACK))
      for (let to = 0; to < at && minutesOf(choices, to) < minutesOf(choices, at); to += stride) {
        board.remove(choices[at] as Choice)
        board.add(choices[to] as Choice)
        if (compareScores(board.score(), score) <= 0) {
          out[i] = to
          isChanged = true
          break
        }
        board.remove(choices[to] as Choice)
        board.add(choices[at] as Choice)
      }
    }
  }
  return out
}

const minutesOf = (choices: readonly Choice[], place: number): number => Math.abs((choices[place] as Choice).minutes)

/** The load with no trigger moved, whatever that makes late. */
function asItIs(demand: Demand): LoadBoard {
  const board = new LoadBoard(demand)
  for (const { now } of demand.movable) board.add(now)
  return board
}

function measured(demand: Demand, board: LoadBoard, late: number): Measure {
  const peaks = Object.fromEntries(demand.pools.map(({ id }, pool) => [id, board.peaks[pool] as number]))
  const { strain, relative } = board.score()
  return { late, strain, peaks, relative }
}

function movesOf(demand: Demand, answer: Answer): Move[] {
  const board = boardOf(demand, answer)
  return demand.movable
    .flatMap((movable, i): (Move & { index: number })[] => {
      const { id, index, now, choices } = movable
      const choice = choices[answer[i] as number] as Choice
      if (choice.minutes === 0) return []
      const reason = reasonOf(demand, board, movable, choice)
      return [
        { trigger: id, from: timeOfDay(now.time), to: timeOfDay(choice.time), minutes: choice.minutes, reason, index },
      ]
    })
    .sort((a, b) => a.index - b.index)
    .map(({ index: _, ...move }) => move)
}

/** Why this move: what would be worse without it. */
function reasonOf(
  { pools, late, firstMinute }: Demand,
  board: LoadBoard,
  { now, choices }: Demand['movable'][number],
  choice: Choice,
): string {
  if (late.least < late.now && !choices.includes(now))
    return 'It saves its deadline, which would be missed where it is.'
  const peaks = board.peaks.slice()
  board.remove(choice)
  board.add(now)
  const worse = pools
    .map(({ id, slots }, pool) => ({ id, slots, pool, from: board.peaks[pool] as number, to: peaks[pool] as number }))
    .filter(({ from, to }) => from > to)
    .sort((a, b) => (b.from - b.to) / b.slots - (a.from - a.to) / a.slots)[0]
  const minute = worse ? board.peakMinute(worse.pool) : 0
  board.remove(now)
  board.add(choice)
  if (!worse) return 'Together with the other moves it lowers the peaks.'
  const at = isoInstant((firstMinute + minute) * 60).slice(11, 16)
  return `It lowers the peak of ${worse.id} at ${at} UTC from ${worse.from} to ${worse.to} of ${worse.slots} slots.`
}

/** The bundle with the moves made. */
function changed(bundle: Bundle, demand: Demand, answer: Answer): Bundle {
  const times = new Map(demand.movable.map(({ index, choices }, i) => [index, choices[answer[i] as number]]))
  return {
    ...bundle,
    triggers: bundle.triggers.map((trigger, index) => {
      const choice = times.get(index)
      return choice && choice.minutes !== 0 ? { ...trigger, time: { at: [timeOfDay(choice.time)] } } : trigger
    }),
  }
}

/** Deadlines that the forecast by usual lengths sees missed, and by how much in all. */
function latenessOf(model: Model): Lateness {
  let [late, latenessSeconds] = [0, 0]
  for (const { of, night } of recorded(model).deadlines) {
    const [due, finish] = [of.due as number, night?.finish ?? null]
    if (finish !== null && finish <= due) continue
    late++
    if (finish !== null) latenessSeconds += finish - due
  }
  return { late, latenessSeconds }
}
