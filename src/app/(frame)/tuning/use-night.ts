import { useQuery, useQueryClient } from '@tanstack/react-query'
import type { Night } from '@/service/forecast/nights'
import { api, queryOf } from '@/ui/api'
import type { Stretch } from './stretch'

/** How often a stretch is played for its chances. */
const SAMPLES = 200
const AGAIN_MS = 120_000

const ask = ({ from, hours }: Stretch, samples: number): Promise<Night> =>
  api.get<Night>(`/tuning/night${queryOf({ from, hours: String(hours), samples: String(samples) })}`)

/** A stretch as the server plays it: by usual lengths at once, with its chances some seconds later. Once those are there, they alone are asked for again. */
export function useNight(stretch: Stretch): { readonly night: Night | undefined; readonly error: Error | null } {
  const client = useQueryClient()
  const keyOf = (samples: number): readonly unknown[] => ['tuning', 'night', stretch.from, stretch.hours, samples]
  const hasChances = client.getQueryData(keyOf(SAMPLES)) !== undefined
  const quick = useQuery({
    queryKey: keyOf(0),
    queryFn: () => ask(stretch, 0),
    staleTime: AGAIN_MS / 2,
    enabled: !hasChances,
  })
  const sampled = useQuery({
    queryKey: keyOf(SAMPLES),
    queryFn: () => ask(stretch, SAMPLES),
    staleTime: AGAIN_MS / 2,
    refetchInterval: AGAIN_MS,
    enabled: hasChances || quick.isSuccess,
  })
  return { night: sampled.data ?? quick.data, error: sampled.data ? null : (quick.error ?? sampled.error) }
}
