'use client'
import { useCallback, type ReactNode } from 'react'
import { FailedPage } from '@/ui/frame/failed-page'

/** Even the outermost layout failed: without styles of ours, and with what is needed to come back. */
export default function Failed({ error }: { error: Error & { digest?: string } }): ReactNode {
  const retry = useCallback(() => window.location.reload(), [])
  return (
    <html lang="en">
      <body>
        <FailedPage digest={error.digest} retry={retry} />
      </body>
    </html>
  )
}
