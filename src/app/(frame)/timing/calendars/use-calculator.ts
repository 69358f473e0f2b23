'use client'
import { useQuery, type UseQueryResult } from '@tanstack/react-query'
import { wrap, type Remote } from 'comlink'
import { useEffect, useState } from 'react'
import type { DayRule } from '@/core/calendar/rule'
import type { YearView } from '@/core/calendar/year'
import type { CalendarCalculator, KnownCalendar } from '@/core/phrase/calendar-calculator'
import type { Explanation } from '@/core/phrase/explain'

export interface Calculator {
  readonly worker: Remote<CalendarCalculator>
  /** Changes whenever the calendars that it knows do. */
  readonly edition: number
}

let editions = 0

/** The calculator in a worker of its own, knowing these calendars; null until it is there. */
export function useCalculator(calendars: readonly KnownCalendar[] | undefined): Calculator | null {
  const [worker, setWorker] = useState<Remote<CalendarCalculator> | null>(null)
  const [edition, setEdition] = useState(0)
  useEffect(() => {
    const thread = new Worker(new URL('./calendar.worker.ts', import.meta.url), { type: 'module' })
    setWorker(() => wrap<CalendarCalculator>(thread))
    return () => thread.terminate()
  }, [])
  const known = calendars?.map(({ slug, title, rule, holidays }) => ({ slug, title, rule, holidays }))
  const text = JSON.stringify(known)
  useEffect(() => {
    if (!worker || text === undefined) return
    void worker.know(JSON.parse(text) as KnownCalendar[]).then(() => setEdition(++editions))
  }, [worker, text])
  return worker && edition > 0 ? { worker, edition } : null
}

/** A year of a rule in the place of a calendar; the year before stays until the new one is there. */
export function useYear(
  calculator: Calculator | null,
  slug: string,
  rule: DayRule | null,
  year: number,
): UseQueryResult<YearView, Error> {
  return useQuery({
    queryKey: ['calculator', 'year', calculator?.edition, slug, rule, year],
    queryFn: () => (calculator as Calculator).worker.year(slug, rule as DayRule, year),
    enabled: calculator !== null && rule !== null,
    placeholderData: (before) => before,
    staleTime: Infinity,
    gcTime: 60_000,
    retry: false,
  })
}

/** Why a day is in the rule, or not. */
export function useExplanation(
  calculator: Calculator | null,
  slug: string,
  rule: DayRule,
  day: string | undefined,
): UseQueryResult<Explanation, Error> {
  return useQuery({
    queryKey: ['calculator', 'explain', calculator?.edition, slug, rule, day],
    queryFn: () => (calculator as Calculator).worker.explain(slug, rule, day as string),
    enabled: calculator !== null && day !== undefined,
    placeholderData: (before) => before,
    staleTime: Infinity,
    gcTime: 60_000,
    retry: false,
  })
}
