export interface Point {
  readonly x: number
  readonly y: number
}

/** A curve from the end of one bar to the beginning of the next. */
export function linkPath(from: Point, to: Point): string {
  const dy = to.y - from.y
  if (Math.abs(dy) < 1) return `M${from.x} ${from.y}L${to.x} ${to.y}`
  const bend = Math.max(14, Math.min(60, Math.abs(to.x - from.x) / 2))
  return `M${from.x} ${from.y}C${from.x + bend} ${from.y} ${to.x - bend} ${to.y} ${to.x} ${to.y}`
}
