import { quantileOf, type LineHealth } from '@/core/fleet/line-health'

const ROUND_TRIPS_MS = 300_000
const RECONNECTS_MS = 3_600_000

/** How the agent's line is: what it measured of late. Instants by the process's own clock, which nobody sets. */
export class LineWatch {
  private trips: { readonly atMs: number; readonly ms: number }[] = []
  private ups: number[] = []
  private pingedAt: number | null = null

  constructor(private readonly now: () => number = () => performance.now()) {}

  up(): void {
    this.ups.push(this.now())
    this.pingedAt = null
  }

  pinged(): void {
    this.pingedAt = this.now()
  }

  /** Returns how long the round trip took, milliseconds; null: it answers no question of ours. */
  ponged(): number | null {
    if (this.pingedAt === null) return null
    const ms = Math.round((this.now() - this.pingedAt) * 10) / 10
    this.pingedAt = null
    this.trips.push({ atMs: this.now(), ms })
    return ms
  }

  health(unstored: number, clockMs: number): LineHealth {
    const now = this.now()
    this.trips = this.trips.filter(({ atMs }) => now - atMs < ROUND_TRIPS_MS)
    // The first time that it came up is no time that it came back.
    this.ups = this.ups.filter((atMs, i) => i === 0 || now - atMs < RECONNECTS_MS)
    const trips = this.trips.map(({ ms }) => ms)
    return {
      p50: quantileOf(trips, 0.5),
      p95: quantileOf(trips, 0.95),
      reconnects: Math.max(0, this.ups.length - 1),
      unstored,
      clockMs: Math.round(clockMs),
    }
  }
}
