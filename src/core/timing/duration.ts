/** ISO 8601 durations of whole weeks, days (24 h), hours, minutes and seconds; no months, years, fractions or signs. */
const PATTERN = /^P(?=.)(?:(\d{1,9})W)?(?:(\d{1,9})D)?(?:T(?=.)(?:(\d{1,9})H)?(?:(\d{1,9})M)?(?:(\d{1,9})S)?)?$/

/** Whole seconds; undefined if the text is no such duration. Weeks stand alone or not at all, as `weeks` says. */
export function parseDuration(text: string, weeks: 'weeks' | 'no weeks' = 'weeks'): number | undefined {
  const parts = PATTERN.exec(text)
  if (!parts || (weeks === 'no weeks' && parts[1] !== undefined)) return undefined
  const [w, d, h, m, s] = parts.slice(1).map((part) => Number(part ?? 0)) as [number, number, number, number, number]
  return w * 604_800 + d * 86_400 + h * 3600 + m * 60 + s
}

/** `PT25H31M30S`: hours, minutes and seconds without zero parts; `PT0S` for nothing. */
export function isoDuration(seconds: number): string {
  const [h, m, s] = [Math.floor(seconds / 3600), Math.floor(seconds / 60) % 60, seconds % 60]
  const text = `${h ? `${h}H` : ''}${m ? `${m}M` : ''}${s ? `${s}S` : ''}`
  return `PT${text || '0S'}`
}
