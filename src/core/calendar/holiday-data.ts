import Holidays from 'date-holidays'
import { version } from 'date-holidays/package.json'
import { LAST_DAY, parseIsoDay } from './days'
import type { Holiday, HolidaySource } from './holidays'
import type { HolidayQuery } from './rule'
import { checkHolidaysWith } from './holiday-check'

const DAY_MS = 86_400_000
/** A holiday's length may be an hour or so off whole days where the clock changes in it. */
const CLOCK_SLACK_MS = 2 * 3_600_000

/** Version of the package that the data comes with. */
export const SHIPPED_HOLIDAYS_VERSION: string = version

/** Equal queries have equal keys. */
export function holidayKey(query: HolidayQuery): string {
  return [query.country.toUpperCase(), ...placesOf(query), [...(query.types ?? ['public'])].sort().join('+')].join(' ')
}

const readers = new Map<string, Holidays>()
const years = new Map<string, readonly Holiday[]>()

/** State and region codes within the country: `SCT`, `BY-A`; a leading country code (`de-by`) is understood. */
function placesOf({ country, region }: HolidayQuery): string[] {
  const codes = region?.split(/[-.]/).map((code) => code.toUpperCase()) ?? []
  return codes.length > 1 && codes[0] === country.toUpperCase() ? codes.slice(1) : codes
}

function reader(query: HolidayQuery): Holidays {
  const key = `${query.country} ${query.region ?? ''}`
  let made = readers.get(key)
  if (!made)
    readers.set(key, (made = new Holidays(query.country.toUpperCase(), ...(placesOf(query) as [string, string]))))
  return made
}

/** What the data package does not know about the query, as a sentence; null if it knows all. */
export function holidayFault({
  country,
  region,
}: HolidayQuery): { readonly key: 'country' | 'region'; readonly message: string } | null {
  const data = new Holidays()
  const code = country.toUpperCase()
  const countries = data.getCountries('en')
  if (!Object.hasOwn(countries, code))
    return {
      key: 'country',
      message: `“${country}” is no country of the holiday data; expected a code such as GB or NO.`,
    }
  if (region === undefined) return null
  const [state, part, ...more] = placesOf({ country, region })
  const states = (data.getStates(code, 'en') ?? {}) as Record<string, string>
  const known = Object.keys(states)
  if (state === undefined || !Object.hasOwn(states, state))
    return {
      key: 'region',
      message: `“${region}” is no region of ${code}; ${known.length > 0 ? `expected one of ${known.join(', ')}` : 'the data has none'}.`,
    }
  const parts = (data.getRegions(code, state, 'en') ?? {}) as Record<string, string>
  if (more.length > 0 || (part !== undefined && !Object.hasOwn(parts, part)))
    return {
      key: 'region',
      message: `“${region}” is no region of ${code}-${state}; ${Object.keys(parts).length > 0 ? `expected one of ${Object.keys(parts).join(', ')} after ${state}-` : `the data has none below ${state}`}.`,
    }
  return null
}

/** The days of the holiday data shipped with Bugle (the package date-holidays, ISC and CC-BY-3.0), as local dates. */
export const SHIPPED_HOLIDAYS: HolidaySource = {
  holidays: (query, year) => {
    const types = query.types ?? ['public']
    const key = `${holidayKey(query)} ${year}`
    let found = years.get(key)
    if (!found) {
      // The package's language for names: English where it has it.
      const all = reader(query).getHolidays(year, 'en') ?? []
      found = all
        .filter((holiday) => (types as readonly string[]).includes(holiday.type))
        .flatMap((holiday) => {
          const first = parseIsoDay(holiday.date.slice(0, 10))
          if (first === undefined) return []
          const lengthMs = holiday.end.getTime() - holiday.start.getTime()
          const days = Math.max(1, Math.ceil((lengthMs - CLOCK_SLACK_MS) / DAY_MS))
          return Array.from({ length: days }, (_, i) => ({ day: first + i, name: holiday.name }))
        })
        .filter(({ day }) => day <= LAST_DAY)
        .sort((a, b) => a.day - b.day)
      years.set(key, found)
    }
    return found
  },
}

export interface Place {
  readonly code: string
  readonly title: string
}

export const holidayCountries = (): Place[] => placesFrom(new Holidays().getCountries('en'))

export function holidayRegions(country: string): Place[] {
  const data = new Holidays()
  return placesFrom(data.getStates(country, 'en')).flatMap((state) => [
    state,
    ...placesFrom(data.getRegions(country, state.code, 'en')).map(({ code, title }) => ({
      code: `${state.code}-${code}`,
      title: `${state.title}, ${title}`,
    })),
  ])
}

function placesFrom(found: Record<string, string> | undefined): Place[] {
  return Object.entries(found ?? {})
    .map(([code, title]) => ({ code, title }))
    .sort((a, b) => a.title.localeCompare(b.title, 'en'))
}

checkHolidaysWith(holidayFault)
