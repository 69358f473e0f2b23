/** Uniform numbers in [0, 1) from a seed: mulberry32 (Tommy Ettinger, public domain), 2^32 states; for demos, samples and tests, never for secrets. */
export function seededRandom(seed: number): () => number {
  let state = seed >>> 0
  return () => {
    state = (state + 0x6d2b79f5) >>> 0
    let mixed = Math.imul(state ^ (state >>> 15), state | 1)
    mixed ^= mixed + Math.imul(mixed ^ (mixed >>> 7), mixed | 61)
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 2 ** 32
  }
}

/** A seed from words, the same for ever (FNV-1a, 32 bit). */
export function seedOf(...words: readonly (string | number)[]): number {
  let hash = 0x811c9dc5
  for (const char of words.join('\u0001')) hash = Math.imul(hash ^ char.charCodeAt(0), 0x01000193)
  return hash >>> 0
}

/** One draw of a log-normal length with this median and this standard deviation of its logarithm (Box & Muller 1958). */
export function logNormal(random: () => number, median: number, sigma: number): number {
  const radius = Math.sqrt(-2 * Math.log(1 - random()))
  return median * Math.exp(sigma * radius * Math.cos(2 * Math.PI * random()))
}
