/** How an agent's line to its engine is, as the agent tells. */
export interface LineHealth {
  /** Round trips of the last five minutes, milliseconds: median, and 95 of 100; null: none yet. */
  readonly p50: number | null
  readonly p95: number | null
  /** How often it came up again in the last hour. */
  readonly reconnects: number
  /** Reports that the server has not stored yet. */
  readonly unstored: number
  /** How far the agent's clock is from the server's, milliseconds; what the way took is in it. */
  readonly clockMs: number
  /** The relay that passes it on, by its name as an agent, or by its address; absent: none does. */
  readonly through?: string | undefined
  /** It is a relay: where it listens, and how many lines it passes on. */
  readonly relay?: { readonly port: number; readonly lines: number } | undefined
}

/** Beyond these a line is in trouble. */
const SLOW_MS = 500
const MANY_RECONNECTS = 5
const MANY_UNSTORED = 500
const FAR_CLOCK_MS = 60_000

/** What is wrong with a line and what to look at, in a sentence; null: nothing is. */
export function lineTrouble({ p95, reconnects, unstored, clockMs }: LineHealth): string | null {
  if (reconnects >= MANY_RECONNECTS)
    return `The line broke ${reconnects} times within an hour: look at the network, and at proxies that cut idle connections.`
  if (p95 !== null && p95 > SLOW_MS)
    return `Round trips take up to ${Math.round(p95)} ms: look at the network between, and at the engine’s load.`
  if (unstored > MANY_UNSTORED) return `${unstored} reports are not stored yet: look at the engine and the database.`
  if (Math.abs(clockMs) > FAR_CLOCK_MS)
    return `Its clock is ${Math.round(Math.abs(clockMs) / 1000)} s ${clockMs > 0 ? 'slow' : 'fast'}: look at its time service.`
  return null
}

/** The smallest of them below or at which a share of all lie (nearest rank); null: there are none. @param share 0…1 */
export function quantileOf(values: readonly number[], share: number): number | null {
  const sorted = [...values].sort((a, b) => a - b)
  return sorted[Math.max(0, Math.ceil(share * sorted.length) - 1)] ?? null
}
