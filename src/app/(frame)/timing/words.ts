/** `1,152`, `0.3`: how many a day. */
export function perDay(n: number): string {
  if (n === 0) return '0'
  return n >= 10 ? Math.round(n).toLocaleString('en') : n >= 1 ? String(Math.round(n * 10) / 10) : n.toPrecision(1)
}

/** `one run a day`, `1,152 runs a day`. */
export const perDayWords = (n: number): string => (perDay(n) === '1' ? 'one run a day' : `${perDay(n)} runs a day`)
