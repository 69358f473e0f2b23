'use client'
import { useSyncExternalStore } from 'react'

const hearers = new Set<() => void>()
let nowMs = 0
let timer: ReturnType<typeof setInterval> | undefined

function subscribe(hear: () => void): () => void {
  hearers.add(hear)
  timer ??= setInterval(() => {
    nowMs = Date.now()
    for (const each of hearers) each()
  }, 1000)
  return () => {
    hearers.delete(hear)
    if (hearers.size === 0) {
      clearInterval(timer)
      timer = undefined
    }
  }
}

function snapshot(): number {
  // Whole seconds of one clock for the whole page: everything that counts, counts together.
  if (nowMs === 0 || Date.now() - nowMs > 1500) nowMs = Date.now()
  return nowMs
}

/**
 * Now, in milliseconds, as of the last second, or the last whole `everyMs` where that is longer: whoever uses it is drawn again that often. 0 while the server renders: times appear with the page's first breath.
 * What only a few words of depend on uses `useAtNow`; what is drawn to scale asks as often as it moves by a pixel.
 */
export function useNow(everyMs = 1000): number {
  return useSyncExternalStore(
    subscribe,
    // The clock itself goes by seconds.
    () => (everyMs <= 1000 ? snapshot() : Math.floor(snapshot() / everyMs) * everyMs),
    () => 0,
  )
}

/** What is said of the present moment: drawn again only when that changes, not with every second. null while the server renders. */
export function useAtNow<T extends string | number | boolean | null>(of: (nowMs: number) => T): T | null {
  return useSyncExternalStore(
    subscribe,
    () => of(snapshot()),
    () => null,
  )
}
