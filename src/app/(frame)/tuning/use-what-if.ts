'use client'
import { useQuery, type UseQueryResult } from '@tanstack/react-query'
import type { Change } from '@/core/forecast/change'
import type { WhatIf } from '@/service/forecast/nights'
import { api } from '@/ui/api'
import type { Stretch } from './stretch'

/** Plays of either side. */
export const SAMPLES = 200

/** A stretch before and with changes, both sides on the same samples, as the server works it out; nothing where there are none. */
export function useWhatIf(stretch: Stretch, changes: readonly Change[]): UseQueryResult<WhatIf> {
  return useQuery({
    queryKey: ['tuning', 'what-if', stretch, JSON.stringify(changes)],
    queryFn: () => api.post<WhatIf>('/tuning/what-if', { ...stretch, changes, samples: SAMPLES }),
    enabled: changes.length > 0,
    placeholderData: (before) => before,
    staleTime: 60_000,
    retry: false,
  })
}
