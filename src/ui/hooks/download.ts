'use client'
import { useCallback, useEffect, useRef, useState } from 'react'
import { ApiProblem, api } from '../api'

export interface Download {
  /** How far it is; null: nothing is under way. Rows of text formats; null where they cannot be told. */
  readonly progress: { readonly bytes: number; readonly rows: number | null; readonly total: number | null } | null
  readonly error: ApiProblem | null
  /** Fetches a file and hands it to the browser once it is whole: never half a file. */
  readonly start: (path: string) => void
  readonly stop: () => void
}

/** The screen need not be drawn for each piece that arrives. */
const SAY_MS = 100

export function useDownload(): Download {
  const [progress, setProgress] = useState<Download['progress']>(null)
  const [error, setError] = useState<ApiProblem | null>(null)
  const running = useRef<AbortController | null>(null)
  const stop = useCallback(() => {
    running.current?.abort()
    running.current = null
    setProgress(null)
  }, [])
  useEffect(() => stop, [stop])
  const start = useCallback((path: string) => {
    const control = new AbortController()
    running.current = control
    setError(null)
    setProgress({ bytes: 0, rows: null, total: null })
    fetchFile(path, control.signal, setProgress)
      .then(({ name, blob }) => keep(name, blob))
      .catch((problem: unknown) => {
        if (control.signal.aborted) return
        setError(
          problem instanceof ApiProblem
            ? problem
            : new ApiProblem(
                0,
                'cut-off',
                'The file is not whole',
                'It broke off on the way; nothing was kept. Try again.',
                [],
                {},
              ),
        )
      })
      .finally(() => {
        if (running.current !== control) return
        running.current = null
        setProgress(null)
      })
  }, [])
  return { progress, error, start, stop }
}

async function fetchFile(
  path: string,
  signal: AbortSignal,
  say: (progress: NonNullable<Download['progress']>) => void,
): Promise<{ name: string; blob: Blob }> {
  const response = await api.open(path, signal)
  const type = response.headers.get('content-type') ?? ''
  const total = response.headers.get('x-bugle-rows')
  const isLines = type.startsWith('text/csv') || type.startsWith('application/jsonl')
  const pieces: Uint8Array<ArrayBuffer>[] = []
  let bytes = 0
  let lines = type.includes('header=present') ? -1 : 0
  let saidMs = 0
  const reader = (response.body as ReadableStream<Uint8Array<ArrayBuffer>>).getReader()
  for (;;) {
    const { done, value } = await reader.read()
    if (done) break
    pieces.push(value)
    bytes += value.byteLength
    if (isLines) for (const byte of value) if (byte === 10) lines++
    if (performance.now() - saidMs < SAY_MS) continue
    saidMs = performance.now()
    say({ bytes, rows: isLines ? Math.max(0, lines) : null, total: total === null ? null : Number(total) })
  }
  const name = /filename="([^"]+)"/.exec(response.headers.get('content-disposition') ?? '')?.[1] ?? 'bugle'
  return { name, blob: new Blob(pieces, { type }) }
}

function keep(name: string, blob: Blob): void {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(blob)
  link.download = name
  link.click()
  // The browser takes what it needs in its own time.
  setTimeout(() => URL.revokeObjectURL(link.href), 60_000)
}
