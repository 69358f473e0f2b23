import type { When } from './plan'

/** A step as pictures and predictions need it; of a plan, or of a run. Indexes are places in the list of all steps. */
export interface DrawnStep {
  readonly index: number
  /** Index of the flow step that it lies in; -1: none. */
  readonly parent: number
  readonly isFlow: boolean
  readonly links: readonly { readonly from: number; readonly when?: When }[]
  readonly join: 'all' | 'any'
  /** Where its failure leads; -1: nowhere. */
  readonly routeTo: number
}

/** Steps of a plan, or of a run, as pictures and predictions need them. */
export function drawnOf(steps: readonly (Omit<DrawnStep, 'isFlow'> & { readonly flow: string | null })[]): DrawnStep[] {
  return steps.map(({ index, parent, flow, links, join, routeTo }) => ({
    index,
    parent,
    isFlow: flow !== null,
    links,
    join,
    routeTo,
  }))
}

export interface Span {
  readonly start: number
  readonly end: number
}

/** What is known of a step: when it began and ended, that it takes no time because it was skipped, or that it surely goes ahead. */
export interface Known {
  readonly isSure?: true
  readonly start?: number
  readonly end?: number
  readonly isSkipped?: boolean
}

/**
 * When each step is, or will be, by what is known and how long steps usually take: a step begins when what it waits for ends, but what has not begun never before
 * `now`. A step to which only routes lead is placed after the last of them: then it is decided whether it goes ahead. Steps to which only failures lead make
 * nothing longer until it is sure that they go ahead. In the unit of `lengthOf`. The order within one flow is Kahn's (1962).
 */
export function timesOf(
  steps: readonly DrawnStep[],
  lengthOf: (index: number) => number,
  known: (index: number) => Known | null = () => null,
  now = -Infinity,
  begins = 0,
): Span[] {
  const times: Span[] = new Array<Span>(steps.length).fill({ start: begins, end: begins })
  const children = childrenOf(steps)
  const routesTo = routesOf(steps)
  const exceptions = exceptionsOf(steps, known)
  place(children.get(-1) ?? [], begins)
  return times

  function place(members: readonly number[], from: number): number {
    let last = from
    for (const index of inOrder(steps, members, routesTo)) {
      const step = steps[index] as DrawnStep
      const facts = known(index)
      const start = facts?.start ?? (facts?.isSkipped ? readyAt(step, from) : Math.max(readyAt(step, from), now))
      let end = facts?.end
      if (step.isFlow && !facts?.isSkipped) {
        const inner = place(children.get(index) ?? [], start)
        end ??= inner
      }
      end ??= facts?.isSkipped
        ? start
        : facts?.start !== undefined
          ? Math.max(start + lengthOf(index), now)
          : start + lengthOf(index)
      times[index] = { start, end: Math.max(start, end) }
      // Nothing in a flow step that is skipped takes any time: it is where that is.
      if (step.isFlow && facts?.isSkipped) shut(children.get(index) ?? [], start)
      if (!exceptions.has(index)) last = Math.max(last, end)
    }
    return last
  }

  function shut(members: readonly number[], at: number): void {
    for (const index of members) {
      times[index] = { start: at, end: at }
      shut(children.get(index) ?? [], at)
    }
  }

  function readyAt({ index, links, join }: DrawnStep, from: number): number {
    const certain = links.filter((link) => !exceptions.has(link.from))
    const ends = (certain.length > 0 ? certain : links).map((link) => (times[link.from] as Span).end)
    if (ends.length > 0) return Math.max(from, join === 'any' ? Math.min(...ends) : Math.max(...ends))
    const routes = (routesTo.get(index) ?? []).map((other) => (times[other] as Span).end)
    return routes.length > 0 ? Math.max(from, ...routes) : from
  }
}

/** Steps to which only failures lead, by routes, by links of `failed`, or behind another such step; but not those of which it is known that they go ahead. */
export function exceptionsOf(
  steps: readonly DrawnStep[],
  known: (index: number) => Known | null = () => null,
): Set<number> {
  const routesTo = routesOf(steps)
  const out = new Set<number>()
  for (const members of childrenOf(steps).values())
    for (const index of inOrder(steps, members, routesTo)) {
      const facts = known(index)
      if (facts?.isSure || facts?.start !== undefined) continue
      const { links, join } = steps[index] as DrawnStep
      const isException = ({ from, when }: (typeof links)[number]): boolean => when === 'failed' || out.has(from)
      const isFar =
        links.length === 0 ? routesTo.has(index) : join === 'any' ? links.every(isException) : links.some(isException)
      if (isFar) out.add(index)
    }
  return out
}

/** The steps directly in each flow step, by its index; -1: those of the flow itself. */
export function childrenOf(steps: readonly DrawnStep[]): Map<number, number[]> {
  const out = new Map<number, number[]>()
  for (const { index, parent } of steps) {
    const list = out.get(parent)
    if (list) list.push(index)
    else out.set(parent, [index])
  }
  return out
}

function routesOf(steps: readonly DrawnStep[]): Map<number, number[]> {
  const out = new Map<number, number[]>()
  for (const { index, routeTo } of steps) if (routeTo >= 0) out.set(routeTo, [...(out.get(routeTo) ?? []), index])
  return out
}

function inOrder(
  steps: readonly DrawnStep[],
  members: readonly number[],
  routesTo: ReadonlyMap<number, readonly number[]>,
): number[] {
  const missing = new Map<number, number>()
  const later = new Map<number, number[]>()
  for (const index of members) {
    const before = [...(steps[index] as DrawnStep).links.map(({ from }) => from), ...(routesTo.get(index) ?? [])]
    missing.set(index, before.length)
    for (const from of before) {
      const list = later.get(from)
      if (list) list.push(index)
      else later.set(from, [index])
    }
  }
  const out = members.filter((index) => missing.get(index) === 0)
  for (const index of out)
    for (const to of later.get(index) ?? []) {
      const left = (missing.get(to) as number) - 1
      missing.set(to, left)
      if (left === 0) out.push(to)
    }
  return out
}

/**
 * Which lane each of some steps of one flow is drawn in, from 0 on. Steps share a lane only if each can begin only after the one before it, so that they can
 * never lie over each other, however long they take: lanes stay as they are while a run goes on. `fits`: whether there is room for `to` right behind `from`.
 */
export function lanesOf(
  steps: readonly DrawnStep[],
  members: readonly number[],
  fits: (from: number, to: number) => boolean = () => true,
): Map<number, number> {
  const routesTo = routesOf(steps)
  const lanes = new Map<number, number>()
  const lastIn: number[] = []
  for (const index of inOrder(steps, members, routesTo)) {
    const { links, join } = steps[index] as DrawnStep
    const routes = routesTo.get(index) ?? []
    // Only what it certainly comes after: not one of several ways that are each enough.
    const before =
      links.length === 0
        ? routes.length === 1
          ? routes
          : []
        : routes.length === 0 && (join === 'all' || links.length === 1)
          ? links.map(({ from }) => from)
          : []
    const behind = before.find((from) => lastIn[lanes.get(from) ?? -1] === from && fits(from, index))
    const lane = behind === undefined ? lastIn.length : (lanes.get(behind) as number)
    lanes.set(index, lane)
    lastIn[lane] = index
  }
  return lanes
}

/**
 * When what ran in a rehearsal ran, and where what did not run would have stood: behind what came before it, without length. With the steps that decide when it ends.
 * `ranAt`: by index; null: it did not run.
 */
export function rehearsedTimes(
  steps: readonly DrawnStep[],
  ranAt: (index: number) => Span | null,
): { readonly times: Span[]; readonly decides: Set<number> } {
  const known = (index: number): Known => ranAt(index) ?? { isSkipped: true }
  const leftOut = new Set(steps.filter(({ index }) => ranAt(index) === null).map(({ index }) => index))
  const times = timesOf(steps, () => 0, known)
  return { times, decides: deciding(steps, times, leftOut) }
}

/** The steps that decide when the flow ends: from the last to end back through what each had to wait for, also within flow steps. `leftOut`: what does not happen. */
export function deciding(
  steps: readonly DrawnStep[],
  times: readonly Span[],
  leftOut: ReadonlySet<number> = exceptionsOf(steps),
): Set<number> {
  const children = childrenOf(steps)
  const routesTo = routesOf(steps)
  const out = new Set<number>()
  const endOf = (index: number): number => (times[index] as Span).end
  const latest = (indexes: readonly number[]): number | undefined =>
    indexes.reduce<number | undefined>(
      (best, i) => (best === undefined || endOf(i) > endOf(best) ? i : best),
      undefined,
    )
  const back = (members: readonly number[]): void => {
    for (let at = latest(members.filter((index) => !leftOut.has(index))); at !== undefined;) {
      const { index, links, join, isFlow } = steps[at] as DrawnStep
      out.add(index)
      if (isFlow) back(children.get(index) ?? [])
      const before = (links.length > 0 ? links.map(({ from }) => from) : (routesTo.get(index) ?? [])).filter(
        (from) => !leftOut.has(from),
      )
      // Where one of several was enough, it was the last that had ended when this began.
      const begins = (times[index] as Span).start
      at =
        join === 'any' || links.length === 0
          ? (latest(before.filter((from) => endOf(from) <= begins)) ??
            before.find((from) => endOf(from) === Math.min(...before.map(endOf))))
          : latest(before)
    }
  }
  back(children.get(-1) ?? [])
  return out
}

/** A place in a picture: rows from the top, counted from 0, and how many it takes. */
export interface Row {
  readonly row: number
  readonly rows: number
}

/** The rows of everything that is shown: lanes of the flow, and within the lane of a flow step that `isOpen` those of its own steps, below it. */
export function rowsOf(
  steps: readonly DrawnStep[],
  isOpen: (index: number) => boolean,
  fits?: (from: number, to: number) => boolean,
): { readonly places: ReadonlyMap<number, Row>; readonly rows: number } {
  const children = childrenOf(steps)
  const places = new Map<number, Row>()
  const rows = place(children.get(-1) ?? [], 0)
  return { places, rows }

  function place(members: readonly number[], top: number): number {
    const lanes = lanesOf(steps, members, fits)
    const heights: number[] = []
    const isShown = (index: number): boolean => (steps[index] as DrawnStep).isFlow && isOpen(index)
    for (const index of members) {
      const lane = lanes.get(index) as number
      const rows = isShown(index) ? 1 + heightOf(children.get(index) ?? []) : 1
      heights[lane] = Math.max(heights[lane] ?? 1, rows)
    }
    const tops = heights.reduce<number[]>((list, height) => [...list, (list.at(-1) as number) + height], [top])
    for (const index of members) {
      const row = tops[lanes.get(index) as number] as number
      const inner = isShown(index) ? place(children.get(index) ?? [], row + 1) : 0
      places.set(index, { row, rows: 1 + inner })
    }
    return (tops.at(-1) as number) - top
  }

  function heightOf(members: readonly number[]): number {
    const before = new Map(places)
    const height = place(members, 0)
    places.clear()
    for (const [index, row] of before) places.set(index, row)
    return height
  }
}
