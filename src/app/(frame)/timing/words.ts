/** Why an occurrence was not started, in words. */
export const WHY_WORDS: Record<string, string> = {
  late: 'too late',
  'starts off': 'starts were off',
  'made up': 'made up for by another',
  overlap: 'the one before ran on',
  'job off': 'its job is off',
  'job gone': 'its job is gone',
  inputs: 'inputs do not fit',
  'no machine': 'no machine',
  fault: 'cannot be worked out',
  day: 'not on this day',
  off: 'it is switched off',
  rate: 'as often as it may',
  chain: 'too long a chain',
}

/** `1,152`, `0.3`: how many a day. */
export function perDay(n: number): string {
  if (n === 0) return '0'
  return n >= 10 ? Math.round(n).toLocaleString('en') : n >= 1 ? String(Math.round(n * 10) / 10) : n.toPrecision(1)
}

/** `one run a day`, `1,152 runs a day`. */
export const perDayWords = (n: number): string => (perDay(n) === '1' ? 'one run a day' : `${perDay(n)} runs a day`)
