'use client'
import { useEffect } from 'react'
import { useAddress } from './address'
import { useLatest } from './latest'

/** Does once what the address asks for (`?start=1`), and takes it out of the address: going back or sharing it does not ask again. */
export function useAskedFor(key: string, act: () => void): void {
  const { values, set } = useAddress()
  const isAsked = values[key] === '1'
  const latest = useLatest(act)
  useEffect(() => {
    if (!isAsked) return
    set({ [key]: null }, 'replace')
    latest()
  }, [isAsked, key, set, latest])
}
