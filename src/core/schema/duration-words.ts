const pad = (n: number): string => String(n).padStart(2, '0')

/** How a length is written everywhere: `0:41`, `12:07`, `1 h 08 min`, `2 d 4 h`. @param ms milliseconds, from 0 */
export function durationWords(ms: number): string {
  const seconds = Math.round(ms / 1000)
  if (seconds < 3600) return `${Math.floor(seconds / 60)}:${pad(seconds % 60)}`
  const minutes = Math.floor(seconds / 60)
  if (minutes < 2880) return `${Math.floor(minutes / 60)} h ${pad(minutes % 60)} min`
  return `${Math.floor(minutes / 1440)} d ${Math.floor((minutes % 1440) / 60)} h`
}
