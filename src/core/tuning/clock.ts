import { parseTimeOfDay, DAY_SECONDS } from '../calendar/days'

/** Times of the day from first to last, both included, that the window allows one that is at `time`; null: it lies outside its window. */
export function rangeOf(window: { earliest: string; latest: string }, time: number): [number, number] | null {
  const [earliest, latest] = [parseTimeOfDay(window.earliest) as number, parseTimeOfDay(window.latest) as number]
  if (earliest <= latest) return time >= earliest && time <= latest ? [earliest, latest] : null
  if (time >= earliest) return [earliest, DAY_SECONDS - 1]
  return time <= latest ? [0, latest] : null
}
