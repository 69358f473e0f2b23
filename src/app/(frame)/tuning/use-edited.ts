'use client'
import { useQuery } from '@tanstack/react-query'
import { wrap, type Remote } from 'comlink'
import { useEffect, useState } from 'react'
import type { Change } from '@/core/forecast/change'
import type { CalculatedNight, NightCalculator } from '@/core/tuning/night-calculator'
import type { Material } from '@/service/forecast/material'
import { api } from '@/ui/api'
import type { Stretch } from './stretch'

/** What follows from changes, worked out in a thread of the browser; null where there are none. What was known before stays until the new is there. */
export function useEdited(
  stretch: Stretch,
  changes: readonly Change[],
): { view: CalculatedNight | null; error: Error | null } {
  const isWanted = changes.length > 0
  const { data: material } = useQuery({
    queryKey: ['tuning', 'material'],
    queryFn: () => api.get<Material>('/tuning/material'),
    enabled: isWanted,
    staleTime: 60_000,
  })
  const [calculator, setCalculator] = useState<Remote<NightCalculator> | null>(null)
  const [edition, setEdition] = useState(0)
  const [isStarted, setStarted] = useState(false)
  if (isWanted && !isStarted) setStarted(true)
  useEffect(() => {
    if (!isStarted) return
    const thread = new Worker(new URL('./tuning.worker.ts', import.meta.url), { type: 'module' })
    setCalculator(() => wrap<NightCalculator>(thread))
    return () => {
      thread.terminate()
      setCalculator(null)
      setEdition(0)
    }
  }, [isStarted])
  useEffect(() => {
    if (!calculator || !material) return
    const { bundle, server, now } = material
    void calculator.know({ bundle, server }, now).then(() => setEdition((n) => n + 1))
  }, [calculator, material])
  const { data, error } = useQuery({
    queryKey: ['tuning', 'edited', edition, stretch, changes],
    queryFn: () => {
      const from = Math.floor(Date.parse(stretch.from) / 1000)
      return (calculator as Remote<NightCalculator>).view(from, stretch.hours, [...changes])
    },
    enabled: isWanted && edition > 0,
    placeholderData: (before) => before,
    staleTime: Infinity,
    gcTime: 60_000,
    retry: false,
  })
  return { view: isWanted ? (data ?? null) : null, error }
}
