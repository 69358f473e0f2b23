'use client'
import { useSyncExternalStore } from 'react'

/** What does not answer, and since when nothing is known (milliseconds since the epoch). */
export interface Away {
  readonly what: 'server' | 'database'
  readonly sinceMs: number
}

let away: Away | null = null
let lastGoodMs = Date.now()
const listeners = new Set<() => void>()

function become(next: Away | null): void {
  if (next?.what === away?.what) return
  away = next
  for (const listener of listeners) listener()
}

/** An answer came: what is shown is known. */
export function answered(): void {
  lastGoodMs = Date.now()
  become(null)
}

/** None came, or one that says that the database does not answer. */
export const didNotAnswer = (what: Away['what']): void => become({ what, sinceMs: away?.sinceMs ?? lastGoodMs })

function subscribe(listener: () => void): () => void {
  listeners.add(listener)
  return () => void listeners.delete(listener)
}

/** What does not answer now; null: all is known. */
export const useAway = (): Away | null =>
  useSyncExternalStore(
    subscribe,
    () => away,
    () => null,
  )

/** What the health check says. */
export async function whatAnswers(): Promise<'all' | 'server' | 'database'> {
  try {
    const response = await fetch('/api/health', { cache: 'no-store' })
    return response.ok ? 'all' : response.status === 503 ? 'database' : 'server'
  } catch {
    return 'server'
  }
}
