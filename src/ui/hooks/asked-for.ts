'use client'
import { useEffect, useRef } from 'react'
import { useAddress } from './address'

/** Does once what the address asks for (`?start=1`), and takes it out of the address: going back or sharing it does not ask again. */
export function useAskedFor(key: string, act: () => void): void {
  const { values, set } = useAddress()
  const isAsked = values[key] === '1'
  const latest = useRef(act)
  useEffect(() => {
    latest.current = act
  })
  useEffect(() => {
    if (!isAsked) return
    set({ [key]: null }, 'replace')
    latest.current()
  }, [isAsked, key, set])
}
