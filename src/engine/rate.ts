/**
 * A token bucket: so many units a second on average, and at most `burst` at once. What is taken beyond that is a debt that time pays off.
 * Instants are milliseconds of a clock that never goes back.
 */
export class Rate {
  private level: number
  private atMs: number

  constructor(
    private readonly perSecond: number,
    private readonly burst: number,
    nowMs: number,
  ) {
    this.level = burst
    this.atMs = nowMs
  }

  /** Takes `units` in any case; returns for how many milliseconds nothing more should be taken. */
  take(units: number, nowMs: number): number {
    this.level = Math.min(this.burst, this.level + ((nowMs - this.atMs) / 1000) * this.perSecond) - units
    this.atMs = nowMs
    return this.level >= 0 ? 0 : (-this.level / this.perSecond) * 1000
  }

  /** Whether it is as full as at the beginning: then it need not be remembered. */
  isFull(nowMs: number): boolean {
    return this.level + ((nowMs - this.atMs) / 1000) * this.perSecond >= this.burst
  }
}
