import type { DayRule } from '@/core/calendar/rule'

/** Kinds of parts, as people choose them. */
export const KINDS = [
  { id: 'weekdays', title: 'weekdays' },
  { id: 'dates', title: 'single dates' },
  { id: 'between', title: 'a stretch of each year' },
  { id: 'holidays', title: 'holidays of a country' },
  { id: 'calendar', title: 'another calendar' },
  { id: 'nth', title: 'the n-th day of each …' },
  { id: 'rrule', title: 'a recurrence (RFC 5545)' },
] as const
export type Kind = (typeof KINDS)[number]['id']

/** What a new part is before it is changed. */
export function newPart(kind: Kind, calendars: readonly { readonly slug: string }[], today: string): DayRule {
  switch (kind) {
    case 'weekdays':
      return { weekdays: ['MO', 'TU', 'WE', 'TH', 'FR'] }
    case 'dates':
      return { dates: [today] }
    case 'between':
      return { between: ['04-01', '09-30'] }
    case 'holidays':
      return { holidays: { country: 'GB' } }
    case 'calendar':
      return { calendar: calendars[0]?.slug ?? '' }
    case 'nth':
      return {
        nth: {
          n: -1,
          of: calendars.some((c) => c.slug === 'working-days')
            ? { calendar: 'working-days' }
            : { weekdays: ['MO', 'TU', 'WE', 'TH', 'FR'] },
          in: 'month',
        },
      }
    case 'rrule':
      return { rrule: 'FREQ=WEEKLY;INTERVAL=2;BYDAY=MO', start: today }
  }
}
