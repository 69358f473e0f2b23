const STEPS = [
  1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 14_400, 21_600, 43_200, 86_400, 172_800, 604_800,
]

export interface Tick {
  readonly at: number
  readonly text: string
}

/** Round distances from the beginning, at most about `most` of them; milliseconds. */
export function ticksOf(from: number, to: number, most: number): Tick[] {
  const step = (STEPS.find((each) => (to - from) / (each * 1000) <= most) ?? 604_800) * 1000
  const count = Math.min(400, Math.floor((to - from) / step) + 1)
  return Array.from({ length: count }, (_, i) => ({ at: from + i * step, text: `+${lengthText(i * step)}` }))
}

/** `30 s`, `1.5 min`, `2 h` */
function lengthText(ms: number): string {
  const seconds = Math.round(ms / 1000)
  if (seconds < 60) return `${seconds} s`
  return seconds % 3600 === 0 ? `${seconds / 3600} h` : `${Math.round((seconds / 60) * 10) / 10} min`
}
