'use client'
import { useState } from 'react'
import { useSay } from '../frame/announcer'
import { useLatest } from './latest'

/**
 * A part of the page that is fetched when it is first wanted: null until it is there. It cannot be fetched while the server is away, or after a new version came: then that is
 * said, and asking again tries again. `first`: it is there already.
 */
export function useOnDemand<T>(load: () => Promise<T>, first: T | null = null): readonly [T | null, () => void] {
  const say = useSay()
  const [part, setPart] = useState<T | null>(() => first)
  const want = useLatest(() => {
    if (part === null)
      load().then(
        (found) => setPart(() => found),
        () => say('This part of the page could not be fetched. Try again, or load the page anew.', { bad: true }),
      )
  })
  return [part, want]
}
