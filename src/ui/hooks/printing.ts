'use client'
import { useEffect, useState } from 'react'
import { flushSync } from 'react-dom'

/** Whether the page is being printed: what draws only the part in sight draws everything then. */
export function usePrinting(): boolean {
  const [isPrinting, setPrinting] = useState(false)
  useEffect(() => {
    // The sheet is made as soon as the event is over.
    const begin = (): void => flushSync(() => setPrinting(true))
    const end = (): void => setPrinting(false)
    window.addEventListener('beforeprint', begin)
    window.addEventListener('afterprint', end)
    return () => {
      window.removeEventListener('beforeprint', begin)
      window.removeEventListener('afterprint', end)
    }
  }, [])
  return isPrinting
}
