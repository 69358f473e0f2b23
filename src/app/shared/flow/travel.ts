import type { DrawnStep, Span } from '@/core/flow/times'

/** Where an arrow key leads: along links to the left and right, to the nearest step of the row above or below. */
export function travel(
  key: string,
  chosen: number | null,
  steps: readonly DrawnStep[],
  places: ReadonlyMap<number, { readonly row: number }>,
  times: readonly Span[],
): number | null {
  const visible = steps.filter(({ index }) => places.has(index))
  if (!['ArrowLeft', 'ArrowRight', 'ArrowUp', 'ArrowDown', 'Home', 'End'].includes(key)) return null
  const first = visible[0]?.index ?? null
  if (chosen === null || !places.has(chosen) || key === 'Home') return first
  if (key === 'End') return visible.at(-1)?.index ?? null
  const step = steps[chosen] as DrawnStep
  if (key === 'ArrowLeft')
    return (
      step.links.map(({ from }) => from).find((from) => places.has(from)) ?? (step.parent >= 0 ? step.parent : chosen)
    )
  if (key === 'ArrowRight') {
    const later = visible.filter(({ links }) => links.some(({ from }) => from === chosen)).map(({ index }) => index)
    const inner = visible.find(({ parent }) => parent === chosen)?.index
    return later[0] ?? inner ?? (step.routeTo >= 0 && places.has(step.routeTo) ? step.routeTo : chosen)
  }
  const row = (places.get(chosen) as { row: number }).row
  const rows = [...new Set([...places.values()].map((place) => place.row))].sort((a, b) => a - b)
  const target = rows[rows.indexOf(row) + (key === 'ArrowUp' ? -1 : 1)]
  if (target === undefined) return chosen
  const at = (times[chosen] as Span).start
  return (
    visible
      .filter(({ index }) => places.get(index)?.row === target)
      .sort((a, b) => Math.abs((times[a.index] as Span).start - at) - Math.abs((times[b.index] as Span).start - at))[0]
      ?.index ?? chosen
  )
}
