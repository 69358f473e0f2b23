import { civil, parseIsoDay, weekdayIndex } from '../calendar/days'
import { durationWords } from '../schema/duration-words'
import { zoneOf } from '../timing/zone'
import type { Cell, ReportDocument, Unit } from './document'
import { MONTHS, WEEKDAYS } from './names'

/** How a report writes its numbers: in the document’s zone and currency. */
export interface Writing {
  readonly zone: string
  readonly currency: string | null
}

/** With a minus before what is negative. */
const lengthWords = (ms: number): string => `${ms < 0 ? '−' : ''}${durationWords(Math.abs(ms))}`

const formats = new Map<string, Intl.NumberFormat>()
function numberFormat(options: Intl.NumberFormatOptions): Intl.NumberFormat {
  const key = JSON.stringify(options)
  let format = formats.get(key)
  if (!format) formats.set(key, (format = new Intl.NumberFormat('en-GB', options)))
  return format
}

function instantWords(ms: number, zoneName: string): string {
  const offset = zoneOf(zoneName)?.offsetAt(Math.floor(ms / 1000)) ?? 0
  return new Date(ms + offset * 1000).toISOString().slice(0, 16).replace('T', ' ')
}

function dayWords(text: string): string {
  const day = parseIsoDay(text)
  if (day === undefined) return text
  const { month, day: of } = civil(day)
  return `${WEEKDAYS[weekdayIndex(day)] as string} ${of} ${MONTHS[month - 1] as string}`
}

/** A cell as people read it; nothing for null. */
export function written(unit: Unit, value: Cell | undefined, { zone, currency }: Writing): string {
  if (value === null || value === undefined) return ''
  if (typeof value === 'string') return unit === 'day' ? dayWords(value) : value
  if (!Number.isFinite(value)) return ''
  const number = Object.is(value, -0) ? 0 : value
  switch (unit) {
    case 'count':
      return numberFormat({ maximumFractionDigits: 0 }).format(number)
    case 'decimal':
      return numberFormat({ maximumFractionDigits: 1, minimumFractionDigits: 1 }).format(number)
    case 'hours':
      return `${numberFormat({ maximumFractionDigits: 1, minimumFractionDigits: 1 }).format(number)} h`
    case 'share':
      return `${numberFormat({ maximumFractionDigits: 1, minimumFractionDigits: 1 }).format(number * 100)} %`
    case 'money':
      return numberFormat({ style: 'currency', currency: currency ?? 'GBP' }).format(number)
    case 'ms':
      return lengthWords(number)
    case 'instant':
      return instantWords(number, zone)
    default:
      return String(number)
  }
}

/** Words stand to the left, numbers to the right. */
export const isRight = (unit: Unit): boolean => unit !== 'text' && unit !== 'day'

export const writingOf = ({ period, currency }: ReportDocument): Writing => ({ zone: period.zone, currency })
