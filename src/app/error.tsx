'use client'
import { useRouter } from 'next/navigation'
import { startTransition, useCallback, type ReactNode } from 'react'
import { FailedPage } from '@/ui/frame/failed-page'

/** Something failed outside of the frame, or the frame itself did. */
export default function Failed({ error, reset }: { error: Error & { digest?: string }; reset: () => void }): ReactNode {
  return <FailedPage digest={error.digest} retry={useRetry(reset)} />
}

/** Makes anew also what the server made of it. */
export function useRetry(reset: () => void): () => void {
  const router = useRouter()
  return useCallback(
    () =>
      startTransition(() => {
        router.refresh()
        reset()
      }),
    [router, reset],
  )
}
