const DAY_MS = 86_400_000

/** Memory and disk that fill up and empty again, each machine in its own way, and more with work. */
export function madeUpMeasures(
  host: string,
  acting: number,
  nowMs: number,
): { memory: number; disk: number; load: number } {
  const own = [...host].reduce((sum, letter) => (sum * 31 + letter.charCodeAt(0)) % 997, 7)
  const wave = (hours: number): number => Math.sin(((nowMs / DAY_MS) * 24 * 2 * Math.PI) / hours + own)
  const rounded = (value: number): number => Math.round(value * 10) / 10
  return {
    memory: rounded(Math.min(99, 46 + (own % 23) + 9 * wave(5) + 3 * wave(0.7) + 6 * acting)),
    disk: rounded(55 + (own % 31) + 4 * wave(24)),
    load: rounded(0.1 + acting / 3 + 0.05 * wave(0.3)),
  }
}
