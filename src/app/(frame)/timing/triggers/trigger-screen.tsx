'use client'
import { useQuery } from '@tanstack/react-query'
import { useMemo, type ReactNode } from 'react'
import { triggerDefinitionSchema, type TriggerDefinition } from '@/core/work/trigger'
import type { HasLevel } from '@/service/base/area-rights'
import type { CalendarRow } from '@/service/timing/calendars'
import type { TriggerFull } from '@/service/timing/triggers'
import type { JobRow } from '@/service/work/work'
import { api } from '@/ui/api'
import { useAddress } from '@/ui/hooks/address'
import { MayHere, useMe } from '@/ui/hooks/me'
import { Page } from '@/ui/parts/layout'
import { NoSuch } from '@/ui/parts/no-such'
import { contentOf, type Content } from './content'
import { TriggerEditor } from './trigger-editor'

function useBasics(): { calendars: CalendarRow[] | undefined; jobs: JobRow[] | undefined } {
  const { data: known, isError } = useQuery({
    queryKey: ['calendars'],
    queryFn: () => api.get<CalendarRow[]>('/calendars'),
  })
  const { data: jobs } = useQuery({ queryKey: ['jobs', 'names'], queryFn: () => api.get<JobRow[]>('/jobs') })
  // Calendars are the organisation's: whoever has no role there sees a trigger without them.
  const calendars = useMemo(() => known ?? (isError ? [] : undefined), [known, isError])
  return { calendars, jobs }
}

export function NewTriggerScreen(): ReactNode {
  const { values } = useAddress()
  const { measure, of, name, above } = values
  const { zone, newTrigger } = useMe()
  const { calendars, jobs } = useBasics()
  // Begun from a job, it is called as that until somebody says otherwise.
  const title = jobs?.find(({ id }) => id === Number(values.job))?.title ?? ''
  const blank = useMemo<Content>(
    () => ({
      title,
      notes: '',
      jobId: Number(values.job) || 0,
      enabled: true,
      definition:
        beyondALimit({ measure, of, name, above }, zone) ??
        triggerDefinitionSchema.parse({ time: { at: ['06:00'] }, zone, ...newTrigger }),
    }),
    [title, values.job, measure, of, name, above, zone, newTrigger],
  )
  if (!calendars || !jobs) return <Page aria-busy="true" />
  return <TriggerEditor trigger={null} initial={blank} calendars={calendars} jobs={jobs} />
}

/** Begun from a measure, it starts beyond what that usually is; null: begun from something else, or from an address that says nothing that could be. */
function beyondALimit(
  { measure, of, name, above }: Readonly<Record<string, string | undefined>>,
  zone: string,
): TriggerDefinition | null {
  if (!measure || !of || !name) return null
  const limit = Number(above ?? 0)
  const read = triggerDefinitionSchema.safeParse({ measure: { of: { [measure]: of }, name, above: limit }, zone })
  return read.success ? read.data : null
}

export function TriggerScreen({ id }: { id: number }): ReactNode {
  const { calendars, jobs } = useBasics()
  const { data: trigger, error } = useQuery({
    queryKey: ['triggers', id],
    queryFn: () => api.get<TriggerFull & HasLevel>(`/triggers/${id}`),
  })
  if (error) return <NoSuch href="/timing" back="Timing" error={error} />
  if (!trigger || !calendars || !jobs) return <Page aria-busy="true" />
  return (
    <MayHere level={trigger.may}>
      <TriggerEditor key={id} trigger={trigger} initial={contentOf(trigger)} calendars={calendars} jobs={jobs} />
    </MayHere>
  )
}
