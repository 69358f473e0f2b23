import { durationWords } from '@/core/schema/duration-words'

/** How times and lengths are written on every screen. */

/** A length in milliseconds; nothing where there is none. */
export const duration = (ms: number | null | undefined): string =>
  ms === null || ms === undefined ? '' : durationWords(ms)

/** `812 bytes`, `14 KiB`, `3.2 MiB`. */
export function bytesWords(bytes: number): string {
  if (bytes < 1024) return bytes === 1 ? '1 byte' : `${bytes} bytes`
  const kib = bytes / 1024
  return kib < 1024 ? `${Math.round(kib)} KiB` : `${(kib / 1024).toFixed(1)} MiB`
}

/** `in 4 min`, `12 s ago`, `yesterday` is never said: the exact time stands beside it. */
export function relative(atMs: number, nowMs: number): string {
  const seconds = Math.round(Math.abs(atMs - nowMs) / 1000)
  const size =
    seconds < 60
      ? `${seconds} s`
      : seconds < 3600
        ? `${Math.round(seconds / 60)} min`
        : seconds < 172_800
          ? `${Math.round(seconds / 3600)} h`
          : `${Math.round(seconds / 86_400)} d`
  return atMs > nowMs ? `in ${size}` : `${size} ago`
}

const formats = new Map<string, Intl.DateTimeFormat>()

function format(zone: string, options: Intl.DateTimeFormatOptions): Intl.DateTimeFormat {
  const key = zone + JSON.stringify(options)
  let made = formats.get(key)
  if (!made) formats.set(key, (made = new Intl.DateTimeFormat('en-GB', { timeZone: zone, ...options })))
  return made
}

/** `02:14` */
export const clock = (at: Date | number | string, zone: string): string =>
  format(zone, { hour: '2-digit', minute: '2-digit' }).format(new Date(at))
/** `02:14:07` */
export const clockSeconds = (at: Date | number | string, zone: string): string =>
  format(zone, { hour: '2-digit', minute: '2-digit', second: '2-digit' }).format(new Date(at))
/** `Tue 9 Mar` */
export const day = (at: Date | number | string, zone: string): string =>
  format(zone, { weekday: 'short', day: 'numeric', month: 'short' }).format(new Date(at)).replace(',', '')
/** `Tue 9 Mar`, and with its year unless that is the present one. */
export const dayAndYear = (at: Date | number | string, zone: string, nowMs: number): string => {
  const year = isoDayIn(at, zone).slice(0, 4)
  return isoDayIn(nowMs, zone).startsWith(year) ? day(at, zone) : `${day(at, zone)} ${year}`
}
/** `2027-03-09 02:14:07 Europe/London`, for hovering. */
export const exact = (at: Date | number | string, zone: string): string => {
  const parts = Object.fromEntries(
    format(zone, {
      year: 'numeric',
      month: '2-digit',
      day: '2-digit',
      hour: '2-digit',
      minute: '2-digit',
      second: '2-digit',
    })
      .formatToParts(new Date(at))
      .map((part) => [part.type, part.value]),
  )
  return `${parts.year}-${parts.month}-${parts.day} ${parts.hour}:${parts.minute}:${parts.second} ${zone}`
}

/** The time today, else with its day. */
export function when(at: Date | number | string, zone: string, nowMs: number): string {
  const sameDay = day(at, zone) === day(nowMs, zone) && Math.abs(new Date(at).getTime() - nowMs) < 86_400_000
  return sameDay ? clockSeconds(at, zone) : `${day(at, zone)} ${clock(at, zone)}`
}

/** `Europe/London` → `London` */
export const cityOf = (zone: string): string => (zone.split('/').at(-1) ?? zone).replaceAll('_', ' ')

/** `1 run`, `1,098 runs` */
export const count = (n: number, word: string): string => `${n.toLocaleString('en')} ${word}${n === 1 ? '' : 's'}`

/** `2027-03-09`: the day it is at an instant in a zone. */
export const isoDayIn = (at: Date | number | string, zone: string): string => exact(at, zone).slice(0, 10)
