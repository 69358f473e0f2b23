'use client'
import dynamic from 'next/dynamic'
import type { ReactNode } from 'react'
import { isTimed, kindOf, type TriggerKind } from '@/core/events/kinds'
import type { TriggerDefinition } from '@/core/work/trigger'
import type { CalendarRow } from '@/service/timing/calendars'
import type { TriggerPreview } from '@/service/forecast/previews'
import type { JobRow } from '@/service/work/work'
import { Select } from '@/ui/parts/select'
import { Switch, TextField } from '@/ui/parts/fields'
import { Stack } from '@/ui/parts/layout'
import { Reading } from '@/ui/parts/reading'
import { Part, Sentence, Word } from '@/ui/parts/sentence'
import type { SectionProps } from '@/app/shared/timing/section-props'
import { DaysSection } from './days-section'
import { DeadlineSection, HowSection, ZoneSection } from '@/app/shared/timing/how-sections'
import { CAUSES } from '../causes'
import { causeChange } from './cause'
import { InputsSection } from './inputs-section'
import { TimeFields } from './time-section'
import type { Content } from './content'

// Most triggers go by the clock.
const EventFields = dynamic(() => import('./event-section').then((module) => module.EventFields))
const LimitsSection = dynamic(() => import('./event-section').then((module) => module.LimitsSection))

/** A trigger as sentences: what it starts, when (as a phrase and as a form), and how. */
export function TriggerForm({
  id,
  content,
  set,
  define,
  faultOf,
  calendars,
  jobs,
  clockDates,
  onPhraseFault,
  isLocked,
}: {
  /** null: it is new. */
  id: number | null
  content: Content
  set: (change: Partial<Content>) => void
  define: (change: Partial<TriggerDefinition>) => void
  faultOf: (path: string) => string | undefined
  calendars: readonly CalendarRow[]
  jobs: readonly JobRow[]
  clockDates: TriggerPreview['clockDates']
  onPhraseFault: (fault: string | null) => void
  isLocked: boolean
}): ReactNode {
  const { definition } = content
  const kind = kindOf(definition)
  const section: SectionProps = { definition, define, faultOf }
  const isFlow = jobs.find(({ id }) => id === content.jobId)?.isFlow === true
  const chooseJob = (id: string): void => {
    const job = jobs.find((each) => String(each.id) === id)
    // Until it has a title of its own, the trigger is called like its job.
    const isUntitled = content.title === '' || jobs.some((each) => each.title === content.title)
    set({
      jobId: Number(id),
      ...(isUntitled && job ? { title: job.title } : {}),
      definition: { ...content.definition, with: {}, ...(job?.isFlow ? { spread: 'one' } : {}) },
    })
  }
  return (
    <Reading isOn={isLocked}>
      <Stack $gap={12}>
        <Sentence>
          <Select
            label="Starts"
            value={content.jobId ? String(content.jobId) : null}
            onChange={chooseJob}
            choices={jobs.map((job) => ({ id: String(job.id), title: `${job.title} · ${job.area}` }))}
            width="250px"
            placeholder="Choose a job"
            error={faultOf('jobId')}
          />
          <TextField
            label="Title"
            value={content.title}
            onChange={(title) => set({ title })}
            error={faultOf('title')}
            width="240px"
          />
          <div style={{ paddingTop: 22 }}>
            <Switch isSelected={content.enabled} onChange={(enabled) => set({ enabled })}>
              {content.enabled ? 'on' : 'off: kept, but starts nothing'}
            </Switch>
          </div>
        </Sentence>
        {content.jobId > 0 && <InputsSection {...section} jobId={content.jobId} />}
        <Part aria-label="Fires">
          <h2>Fires</h2>
          <Stack>
            <Sentence>
              <Word>when</Word>
              <Select
                label="What makes it start"
                hideLabel
                value={kind}
                onChange={(next) => {
                  onPhraseFault(null)
                  define(causeChange(definition, next as TriggerKind))
                }}
                choices={CAUSES}
                width="190px"
              />
            </Sentence>
            {isTimed(definition) ? (
              <TimeFields {...section} definition={definition} calendars={calendars} onPhraseFault={onPhraseFault} />
            ) : (
              <EventFields key={kind} {...section} jobs={jobs} id={id} />
            )}
          </Stack>
        </Part>
        {kind !== 'time' && <LimitsSection {...section} />}
        <DaysSection {...section} calendars={calendars} />
        <ZoneSection {...section} clockDates={clockDates} />
        <DeadlineSection {...section} />
        <HowSection {...section} isFlow={isFlow} />
        <Part aria-label="Notes">
          <h2>Notes</h2>
          <TextField
            label="Notes"
            hideLabel
            rows={2}
            value={content.notes}
            onChange={(notes) => set({ notes })}
            error={faultOf('notes')}
          />
        </Part>
      </Stack>
    </Reading>
  )
}
