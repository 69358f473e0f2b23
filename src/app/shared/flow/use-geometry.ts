import { useMemo } from 'react'
import { rowsOf, type DrawnStep, type Span } from '@/core/flow/times'
import { groupedBy } from '@/core/group'
import { usePrinting } from '@/ui/hooks/printing'
import type { BarLook } from './picture-bar'
import type { Ends } from './picture-links'
import { AXIS, BAR, LEAST, LEFT, RIGHT, ROW, TITLE_CHAR, ZOOMS } from './scale'
import type { View } from './use-view'

/** Where everything in a picture stands, px. */
export interface Geometry {
  /** Of an instant, milliseconds. */
  readonly x: (at: number) => number
  readonly y: (index: number) => number
  /** Where lines to a step arrive, and from it begin. */
  readonly ends: (index: number) => Ends
  readonly places: ReturnType<typeof rowsOf>['places']
  readonly rows: number
  readonly total: { readonly width: number; readonly height: number }
  /** The last instant of the axis. */
  readonly last: number
  /** Whether any of it is in sight, or nearly: only that is drawn. */
  readonly isNear: (index: number) => boolean
  /** Until the next bar of the same row begins. */
  readonly roomAfter: (index: number) => number
}

/** Bars by their times on an axis that fits the window at the first zoom, in lanes that stay while a run goes on. */
export function useGeometry(
  {
    steps,
    times,
    usual,
    lookOf,
  }: {
    readonly steps: readonly DrawnStep[]
    readonly times: readonly Span[]
    readonly usual: readonly Span[]
    readonly lookOf: (index: number) => BarLook
  },
  { isOpen, edition }: { readonly isOpen: (index: number) => boolean; readonly edition: unknown },
  beginsAt: number,
  nowAt: number | null,
  view: View,
): Geometry {
  const { width, zoom } = view
  const spanOf = (index: number): Span => times[index] as Span
  const last = Math.max(beginsAt + 1000, nowAt ?? 0, ...times.map(({ end }) => end))
  const scale = ((width - LEFT - RIGHT) / (last - beginsAt)) * (ZOOMS[zoom] ?? 1)
  const x = (at: number): number => LEFT + (at - beginsAt) * scale
  const wide = Math.round(width / 50) * 50
  // Lanes stay while a run goes on: they depend on how long steps usually take, not on how far they have come; and on which take no time at all.
  const without = usual.map(({ start, end }) => (start === end ? '-' : '')).join()
  const { places, rows } = useMemo(() => {
    const usualFit = (wide - LEFT - RIGHT) / Math.max(1, ...usual.map(({ end }) => end - beginsAt))
    return rowsOf(steps, isOpen, (from, to) => {
      const [before, after] = [usual[from] as Span, usual[to] as Span]
      const bar = Math.max(LEAST, (before.end - before.start) * usualFit)
      const need = lookOf(from).title.length * TITLE_CHAR + 16
      return bar >= need || bar + (after.start - before.end) * usualFit >= need + 10
    })
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [steps, edition, wide, without])
  const lanes = useMemo(() => groupedBy(places.keys(), (index) => places.get(index)?.row), [places])
  const y = (index: number): number => AXIS + 8 + (places.get(index)?.row ?? 0) * ROW
  const total = { width: Math.max(width, x(last) + RIGHT), height: AXIS + 14 + rows * ROW }
  const isPrinting = usePrinting()
  const barEnd = (index: number): number => Math.max(x(spanOf(index).end), x(spanOf(index).start) + LEAST)
  return {
    x,
    y,
    places,
    rows,
    total,
    last,
    ends: (index) => {
      const middle = y(index) + BAR / 2
      return { from: { x: barEnd(index), y: middle }, to: { x: x(spanOf(index).start), y: middle } }
    },
    isNear: (index) => {
      const place = places.get(index)
      if (!place) return false
      if (isPrinting) return true
      const top = y(index)
      return (
        top + place.rows * ROW > view.top - 200 &&
        top < view.top + view.height + 200 &&
        x(spanOf(index).end) > view.left - 400 &&
        x(spanOf(index).start) < view.left + width + 400
      )
    },
    roomAfter: (index) => {
      const from = spanOf(index).start
      // Of steps at the same instant, as those that are passed over together, the last has the room.
      const later = (lanes.get(places.get(index)?.row) ?? [])
        .map((other) => ({ other, start: spanOf(other).start }))
        .filter(({ other, start }) => start > from || (start === from && other > index))
      const next = Math.min(...later.map(({ start }) => start))
      return (next === Infinity ? total.width : x(next)) - barEnd(index)
    },
  }
}
