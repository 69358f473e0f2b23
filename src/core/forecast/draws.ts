/**
 * Randomness without a state: a draw is a function of what it is for, so that a change elsewhere changes no draw, and samples can be shared among workers in any way.
 * Two lanes of 32 bits, mixed as the finalizer of MurmurHash3 does it (A. Appleby, public domain).
 */
export interface Key {
  readonly a: number
  readonly b: number
}

function finish(hash: number): number {
  let h = hash
  h = Math.imul(h ^ (h >>> 16), 0x85ebca6b)
  h = Math.imul(h ^ (h >>> 13), 0xc2b2ae35)
  return (h ^ (h >>> 16)) >>> 0
}

const START: Key = { a: 0x9e3779b9, b: 0x7f4a7c15 }

/** A key from words and numbers, in order; `from`: what it adds to. */
export function keyOf(parts: readonly (string | number)[], from: Key = START): Key {
  let { a, b } = from
  const add = (word: number): void => {
    a = finish(Math.imul(a ^ word, 0x01000193) + 0x3c6ef372)
    b = finish(Math.imul(b ^ word, 0x85ebca77) + a)
  }
  for (const part of parts) {
    const text = String(part)
    for (let i = 0; i < text.length; i++) add(text.charCodeAt(i))
    // Where one part ends is part of the key.
    add(0x10000 + text.length)
  }
  return { a, b }
}

/** A uniform number of [0, 1), 53 bits, of this key, try and use. */
export function drawOf(key: Key, sample: Key, attempt: number, use: number): number {
  const word = Math.imul(attempt, 8) + use
  const high = finish(key.a ^ Math.imul(sample.a, 0x9e3779b1) ^ Math.imul(word + 1, 0x85ebca6b))
  const low = finish(Math.imul(key.b, 0xc2b2ae3d) ^ sample.b ^ Math.imul(word + 1, 0x27d4eb2f) ^ high)
  return ((high >>> 5) * 67_108_864 + (low >>> 6)) / 9_007_199_254_740_992
}
