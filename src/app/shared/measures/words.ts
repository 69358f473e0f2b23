import type { Band } from '@/core/stats/band'
import type { Drift } from '@/core/stats/drift'
import { queryOf } from '@/ui/api'

const DAY_SECONDS = 86_400

/** A number as a person reads it: no more digits than tell something. */
export const figure = (value: number): string =>
  Math.abs(value) >= 1000
    ? Math.round(value).toLocaleString('en')
    : value.toLocaleString('en', { maximumSignificantDigits: 4 })

type Said = (value: number) => string

export const bandWords = (band: Band | null, said: Said = figure): string =>
  band === null ? '' : band.low === band.high ? said(band.low) : `${said(band.low)} – ${said(band.high)}`

/** How much it rose or fell, and in what time. */
export function trendWords(drift: Drift | null): string {
  if (drift === null) return ''
  const days = drift.span / DAY_SECONDS
  const time = days >= 2 ? `${Math.round(days)} days` : `${Math.max(1, Math.round(days * 24))} h`
  return `${drift.change > 0 ? 'rises' : 'falls'} by ${Math.round(Math.abs(drift.change) * 100)} % in ${time}`
}

/** Where a trigger is begun that fires beyond what a measure usually is. */
export const beyondPath = (
  { kind, slug, name }: { readonly kind: 'agent' | 'queue' | 'job'; readonly slug: string; readonly name: string },
  band: Band | null,
): string => `/timing/triggers/new${queryOf({ measure: kind, of: slug, name, ...(band ? { above: band.high } : {}) })}`
