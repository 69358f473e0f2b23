'use client'
import { useQuery, type UseQueryResult } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import type { TriggerPreview } from '@/service/forecast/previews'
import { api, type ApiProblem } from '@/ui/api'

/** A value that follows another one when that has rested for a while. */
export function useRested<T>(value: T, ms: number): T {
  const [rested, setRested] = useState(value)
  useEffect(() => {
    const timer = setTimeout(() => setRested(value), ms)
    return () => clearTimeout(timer)
  }, [value, ms])
  return rested
}

export interface PreviewRequest {
  readonly id: number | null
  readonly jobId: number | null
  readonly enabled: boolean
  readonly definition: object
}

/** What a trigger would do, asked again when what is typed has rested. */
export function useTriggerPreview(request: PreviewRequest | null): UseQueryResult<TriggerPreview, ApiProblem> {
  const rested = useRested(request === null ? null : JSON.stringify(request), 200)
  return useQuery({
    queryKey: ['preview', rested],
    queryFn: () => api.post<TriggerPreview>('/triggers/preview', JSON.parse(rested as string)),
    enabled: rested !== null,
    placeholderData: (before) => before,
    staleTime: 30_000,
    retry: false,
  })
}
