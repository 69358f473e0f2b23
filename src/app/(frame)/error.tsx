'use client'
import type { ReactNode } from 'react'
import { FailedPage } from '@/ui/frame/failed-page'
import { useRetry } from '../error'

/** A screen failed; the frame around it goes on. */
export default function Failed({ error, reset }: { error: Error & { digest?: string }; reset: () => void }): ReactNode {
  return <FailedPage digest={error.digest} retry={useRetry(reset)} isInFrame />
}
