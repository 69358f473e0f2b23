import { DAY_SECONDS, isoDay, parseIsoDay } from '../calendar/days'
import type { Instant, Zone } from './zone'

const PATTERN = /^(\d{4}-\d{2}-\d{2})[Tt](\d{2}):(\d{2})(?::(\d{2})(\.\d{1,9})?)?([Zz]|[+-]\d{2}:?\d{2})$/

/** Seconds since 1970 of an ISO 8601 instant with offset or `Z`, fractions of a second kept; undefined for anything else. */
export function parseInstant(text: string): Instant | undefined {
  const parts = PATTERN.exec(text)
  const day = parts && parseIsoDay(parts[1] as string)
  if (!parts || day === undefined || day === null) return undefined
  const [hour, minute, second] = [Number(parts[2]), Number(parts[3]), Number(parts[4] ?? 0)]
  const offset = parts[6] as string
  const [hours, minutes] = /^z$/i.test(offset) ? [0, 0] : [Number(offset.slice(1, 3)), Number(offset.slice(-2))]
  if (hour > 23 || minute > 59 || second > 59 || hours > 23 || minutes > 59) return undefined
  const east = (offset.startsWith('-') ? -1 : 1) * (hours * 3600 + minutes * 60)
  return day * DAY_SECONDS + hour * 3600 + minute * 60 + second + Number(parts[5] ?? 0) - east
}

const pad = (n: number): string => String(n).padStart(2, '0')

function isoDateTime(seconds: number): string {
  const day = Math.floor(seconds / DAY_SECONDS)
  const time = seconds - day * DAY_SECONDS
  return `${isoDay(day)}T${pad(Math.floor(time / 3600))}:${pad(Math.floor(time / 60) % 60)}:${pad(time % 60)}`
}

/** `2027-03-28T01:00:00Z` */
export const isoInstant = (at: Instant): string => `${isoDateTime(at)}Z`

/** `2027-03-28T02:00:00+01:00`; an offset of odd seconds, as old local times have, is written to the minute. */
export function isoLocal(at: Instant, zone: Zone): string {
  const offset = zone.offsetAt(at)
  const minutes = Math.round(Math.abs(offset) / 60)
  return `${isoDateTime(at + offset)}${offset < 0 && minutes > 0 ? '-' : '+'}${pad(Math.floor(minutes / 60))}:${pad(minutes % 60)}`
}
