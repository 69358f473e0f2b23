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

/** Now, in milliseconds, once a second. 0 while the server renders: times appear with the page's first breath. */
export function useNow(): number {
  return useSyncExternalStore(subscribe, snapshot, () => 0)
}
