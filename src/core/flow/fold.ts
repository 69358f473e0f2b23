import { reachable } from '../bundle/graph'
import type { DrawnStep, Span } from './times'

/** Steps of one flow that belong together, as they are drawn. */
export interface DrawnGroup {
  readonly id: string
  /** Indexes of its steps. */
  readonly members: readonly number[]
}

/**
 * The same steps with each of these groups as one more step behind the others, closed like a flow that its members lie in: links and routes to and from them lead to
 * and from the group. A link that would close a circle through something between two members is left out: no picture shows it forwards.
 */
export function foldGroups(steps: readonly DrawnStep[], groups: readonly DrawnGroup[]): DrawnStep[] {
  const place = new Map<number, number>()
  groups.forEach(({ members }, i) => members.forEach((member) => place.set(member, steps.length + i)))
  if (place.size === 0) return [...steps]
  const lifted = (index: number): number => place.get(index) ?? index
  const next = new Map<number, number[]>()
  for (const { index, links, routeTo } of steps) {
    for (const { from } of links) next.set(lifted(from), [...(next.get(lifted(from)) ?? []), lifted(index)])
    if (routeTo >= 0) next.set(lifted(index), [...(next.get(lifted(index)) ?? []), lifted(routeTo)])
  }
  const after = (index: number): readonly number[] => next.get(index) ?? []
  const behind = new Map(groups.map((_, i) => [steps.length + i, reachable(after(steps.length + i), after)]))
  const linksTo = (to: number, members: readonly number[]): DrawnStep['links'] => {
    const found = new Map<number, DrawnStep['links'][number]>()
    for (const member of members)
      for (const link of steps[member]?.links ?? []) {
        const from = lifted(link.from)
        if (from !== to && !behind.get(to)?.has(from) && !found.has(from)) found.set(from, { ...link, from })
      }
    return [...found.values()]
  }
  const own = steps.map((step): DrawnStep => {
    const group = place.get(step.index)
    // What it leads to, its group leads to.
    if (group !== undefined) return { ...step, parent: group, links: [], routeTo: -1 }
    return {
      ...step,
      links: linksTo(step.index, [step.index]),
      routeTo: step.routeTo < 0 ? -1 : lifted(step.routeTo),
    }
  })
  const folded = groups.map(({ members }, i): DrawnStep => {
    const index = steps.length + i
    const routes = members.map((member) => steps[member]?.routeTo ?? -1).filter((to) => to >= 0 && lifted(to) !== index)
    return {
      index,
      parent: steps[members[0] ?? -1]?.parent ?? -1,
      isFlow: true,
      links: linksTo(index, members),
      join: 'all',
      routeTo: routes[0] === undefined ? -1 : lifted(routes[0]),
    }
  })
  return [...own, ...folded]
}

/** The groups of a flow as they are drawn. `indexOf`: of a step of the flow itself, by its name; undefined: it is not drawn. */
export function drawnGroups(
  groups: readonly { readonly id: string; readonly steps: readonly string[] }[],
  indexOf: (id: string) => number | undefined,
): DrawnGroup[] {
  return groups.map(({ id, steps }) => ({ id, members: steps.flatMap((step) => indexOf(step) ?? []) }))
}

/** From the first beginning to the last end of its members. */
export function spanOf({ members }: DrawnGroup, times: readonly Span[]): Span {
  const spans = members.flatMap((member) => times[member] ?? [])
  if (spans.length === 0) return { start: 0, end: 0 }
  return { start: Math.min(...spans.map(({ start }) => start)), end: Math.max(...spans.map(({ end }) => end)) }
}
