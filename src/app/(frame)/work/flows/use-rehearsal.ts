'use client'
import { useQuery } from '@tanstack/react-query'
import { useMemo, useState } from 'react'
import { parseIsoDay } from '@/core/calendar/days'
import type { Plan } from '@/core/flow/plan'
import type { Rehearsal } from '@/core/flow/rehearse'
import type { Outcome } from '@/core/flow/state'
import type { FlowDefinition } from '@/core/work/flow'
import type { FlowMaterial } from '@/service/work/flows'
import { api } from '@/ui/api'
import { isoDayIn } from '@/ui/format'
import { useMe } from '@/ui/hooks/me'
import { useNow } from '@/ui/hooks/now'
import { gateRules, planFor, rehearsalOf, type Model } from './editor-model'

export interface Rehearsing {
  readonly isOn: boolean
  readonly day: string
  readonly setDay: (day: string) => void
  readonly outcomes: ReadonlyMap<string, Outcome>
  readonly setOutcome: (path: string, outcome: Outcome) => void
  readonly clear: () => void
  readonly given: Readonly<Record<string, string>>
  readonly give: (name: string, value: string) => void
  readonly plan: Plan | null
  /** What would happen; a text if it cannot be said. */
  readonly result: Rehearsal | string | null
  readonly error: unknown
}

/** What would happen on a day if some steps fail, before anything runs: the same logic as the engine’s. */
export function useRehearsal(
  definition: FlowDefinition,
  slug: string | null,
  material: FlowMaterial,
  model: Model,
  isOn: boolean,
): Rehearsing {
  const { zone } = useMe()
  const now = useNow(60_000)
  const today = now > 0 ? isoDayIn(now, zone) : ''
  const [chosenDay, setDay] = useState('')
  const day = parseIsoDay(chosenDay) === undefined ? today : chosenDay
  const [outcomes, setOutcomes] = useState<ReadonlyMap<string, Outcome>>(new Map())
  const [given, setGiven] = useState<Record<string, string>>({})
  const plan = useMemo(
    () =>
      isOn
        ? planFor(
            definition,
            slug,
            material,
            Object.fromEntries(Object.entries(given).filter(([, value]) => value !== '')),
          )
        : null,
    [isOn, definition, slug, material, given],
  )
  const rules = plan ? gateRules(plan) : []
  const { data, error } = useQuery({
    queryKey: ['calendars', 'gates', day, JSON.stringify(rules.map(({ rule }) => rule))],
    queryFn: () => api.post<{ open: boolean[] }>('/flows/gates', { day, rules: rules.map(({ rule }) => rule) }),
    enabled: isOn && rules.length > 0 && /^\d{4}-\d{2}-\d{2}$/.test(day),
  })
  const result = useMemo(() => {
    if (!plan || (rules.length > 0 && !data)) return null
    const open = new Map(rules.map(({ index }, i) => [index, data?.open[i] ?? true]))
    return rehearsalOf(plan, open, outcomes, (index) => {
      const time = model.times[index]
      return time ? Math.round((time.end - time.start) / 1000) : 60
    })
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [plan, data, outcomes, model])
  return {
    isOn,
    day,
    setDay,
    outcomes,
    setOutcome: (path, outcome) =>
      setOutcomes((before) => {
        const next = new Map(before)
        if (outcome === 'succeeded') next.delete(path)
        else next.set(path, outcome)
        return next
      }),
    clear: () => setOutcomes(new Map()),
    given,
    give: (name, value) => setGiven((before) => ({ ...before, [name]: value })),
    plan,
    result,
    error,
  }
}
