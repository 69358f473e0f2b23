import { spend } from '../budget'

/** Seconds since 1970-01-01T00:00:00Z, without leap seconds. */
export type Instant = number
/** Seconds that a local clock shows since it showed 1970-01-01T00:00:00. */
export type LocalSeconds = number

const DAY = 86_400
/** Closest distance of two clock changes that is looked for. Every change in the time zone database lasts longer than this. */
const PROBE = DAY
/** What a year of probes takes of a budget. */
const YEAR_STEPS = 2000
/** Names differ in capitals too: of more than these none is kept. */
const MOST_KEPT = 2000

/** A clock change: the offset in force before it and from it on, in seconds east of Greenwich. */
export interface ClockChange {
  readonly at: Instant
  readonly before: number
  readonly after: number
}

/** A stretch of time in which the offset stays the same. */
export interface Stretch {
  /** Included; -Infinity at the edge of what was looked at. */
  readonly from: Instant
  /** Excluded. */
  readonly to: Instant
  readonly offset: number
}

/** The instants at which a local clock shows a time. */
export type Reading =
  | { readonly kind: 'once'; readonly at: Instant }
  /** It never shows it: `at` is the time moved on by the gap's length. */
  | { readonly kind: 'gap'; readonly at: Instant }
  | { readonly kind: 'twice'; readonly first: Instant; readonly second: Instant }

const zones = new Map<string, Zone>()
/** Asking the runtime takes a tenth of a millisecond. */
const knownNames = new Set<string>()

/** The zone with this IANA name; undefined if the runtime's time zone data has none. */
export function zoneOf(name: string): Zone | undefined {
  let zone = zones.get(name)
  if (!zone) {
    if (!isZoneName(name)) return undefined
    zone = new Zone(name)
    if (zones.size < MOST_KEPT) zones.set(name, zone)
  }
  return zone
}

/** IANA names only: the runtime also takes offsets such as +01:00, which the file format does not. */
export function isZoneName(name: string): boolean {
  if (knownNames.has(name)) return true
  if (!/^[A-Za-z][A-Za-z0-9_+-]*(\/[A-Za-z0-9_+-]+)*$/.test(name)) return false
  try {
    new Intl.DateTimeFormat('en', { timeZone: name })
    if (knownNames.size < MOST_KEPT) knownNames.add(name)
    return true
  } catch {
    return false
  }
}

/**
 * The clock of a place, from the time zone data of the runtime (`Intl`). Clock changes are found year by year when they are first
 * needed, and kept.
 */
export class Zone {
  private readonly format: Intl.DateTimeFormat
  private readonly isFixed: boolean
  private readonly years = new Map<number, readonly ClockChange[]>()
  private stretch: Stretch | undefined

  constructor(readonly name: string) {
    this.format = new Intl.DateTimeFormat('en-US', { timeZone: name, timeZoneName: 'longOffset' })
    this.isFixed = /^(UTC|GMT|Etc\/.*)$/i.test(name)
  }

  /** Seconds east of Greenwich at the instant. */
  offsetAt(at: Instant): number {
    return this.stretchAt(at).offset
  }

  /** What the clock shows. */
  localAt(at: Instant): LocalSeconds {
    return at + this.offsetAt(at)
  }

  /** The clock changes from `from` (included) to `to` (excluded), ascending. */
  changesBetween(from: Instant, to: Instant): ClockChange[] {
    const out: ClockChange[] = []
    if (this.isFixed) return out
    for (let year = yearAt(from); year <= yearAt(to); year++)
      for (const change of this.changesOf(year)) if (change.at >= from && change.at < to) out.push(change)
    return out
  }

  /** The stretch around an instant, as far as the years beside it were looked at. */
  stretchAt(at: Instant): Stretch {
    const known = this.stretch
    if (known && at >= known.from && at < known.to) return known
    const found = this.findStretch(at)
    this.stretch = found
    return found
  }

  private findStretch(at: Instant): Stretch {
    if (this.isFixed) return { from: -Infinity, to: Infinity, offset: this.probe(at) }
    const year = yearAt(at)
    let from = yearStart(year)
    let to = yearStart(year + 1)
    let offset: number | undefined
    for (const change of this.changesOf(year)) {
      if (change.at <= at) {
        from = change.at
        offset = change.after
      } else {
        to = change.at
        offset ??= change.before
        break
      }
    }
    return { from, to, offset: offset ?? this.probe(at) }
  }

  /** When the clock shows this local time. */
  read(local: LocalSeconds): Reading {
    // No offset is more than a day off: every candidate lies in the stretches around here.
    const early = this.stretchAt(local - DAY)
    if (local + DAY < early.to) return { kind: 'once', at: local - early.offset }
    const found: Instant[] = []
    let before = early
    for (let stretch = early; stretch.from <= local + DAY; stretch = this.stretchAt(stretch.to)) {
      const at = local - stretch.offset
      if (at >= stretch.from && at < stretch.to) found.push(at)
      else if (at >= stretch.to) before = stretch
      if (stretch.to === Infinity) break
    }
    const [first, second] = found
    if (first === undefined) return { kind: 'gap', at: local - before.offset }
    return second === undefined ? { kind: 'once', at: first } : { kind: 'twice', first, second }
  }

  private changesOf(year: number): readonly ClockChange[] {
    let changes = this.years.get(year)
    if (!changes) this.years.set(year, (changes = this.searchYear(year)))
    return changes
  }

  private searchYear(year: number): ClockChange[] {
    spend(YEAR_STEPS)
    const out: ClockChange[] = []
    const from = yearStart(year)
    const to = yearStart(year + 1)
    let earlier = from - 1
    let before = this.probe(earlier)
    while (earlier < to - 1) {
      const later = Math.min(earlier + PROBE, to - 1)
      const after = this.probe(later)
      if (after !== before) out.push({ at: this.bisect(earlier, before, later), before, after })
      earlier = later
      before = after
    }
    return out
  }

  /** The first instant after `low` with another offset than its own; `high` has another. */
  private bisect(low: Instant, offset: number, high: Instant): Instant {
    while (high - low > 1) {
      const middle = Math.floor((low + high) / 2)
      if (this.probe(middle) === offset) low = middle
      else high = middle
    }
    return high
  }

  private probe(at: Instant): number {
    const text = this.format.format(at * 1000)
    const parts = /GMT(?:([+-])(\d{2}):(\d{2})(?::(\d{2}))?)?$/.exec(text)
    if (!parts) throw new Error(`The runtime wrote the offset of ${this.name} in an unknown way: ${text}`)
    const seconds = Number(parts[2] ?? 0) * 3600 + Number(parts[3] ?? 0) * 60 + Number(parts[4] ?? 0)
    return parts[1] === '-' ? -seconds : seconds
  }
}

function yearAt(at: Instant): number {
  return new Date(at * 1000).getUTCFullYear()
}

function yearStart(year: number): Instant {
  return new Date(0).setUTCFullYear(year, 0, 1) / 1000
}
