'use client'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { defaultWords } from '@/core/work/inputs'
import type { TriggerDefinition } from '@/core/work/trigger'
import type { CalendarRow } from '@/service/timing/calendars'
import type { TriggerPreview } from '@/service/forecast/previews'
import type { Startable } from '@/service/runs/start'
import type { JobRow } from '@/service/work/work'
import { api } from '@/ui/api'
import { DateField } from '@/ui/parts/date-field'
import { Select } from '@/ui/parts/select'
import { Switch, TextField } from '@/ui/parts/fields'
import { Small, Stack } from '@/ui/parts/layout'
import { Reading } from '@/ui/parts/reading'
import { Part, Sentence } from '@/ui/parts/sentence'
import type { SectionProps } from '@/app/shared/timing/section-props'
import { DaysSection } from './days-section'
import { DeadlineSection, HowSection, ZoneSection } from '@/app/shared/timing/how-sections'
import { TimeSection } from './time-section'
import type { Content } from './content'

/** A trigger as sentences: what it starts, when (as a phrase and as a form), and how. */
export function TriggerForm({
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
  const section: SectionProps = { definition: content.definition, define, faultOf }
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
        <TimeSection {...section} calendars={calendars} onPhraseFault={onPhraseFault} />
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

/** The job’s or flow’s questions, answered beforehand; what is left open takes its own default. */
function InputsSection({ jobId, definition, define, faultOf }: SectionProps & { jobId: number }): ReactNode {
  const { data: job } = useQuery({
    queryKey: ['jobs', jobId, 'start', 'trigger'],
    queryFn: () => api.get<Startable>(`/startables/${jobId}?starter=trigger`),
  })
  if (!job || job.inputs.length === 0) return null
  const set = (name: string, value: string | null): void => {
    const { [name]: _before, ...rest } = definition.with
    define({ with: value === null ? rest : { ...rest, [name]: value } })
  }
  return (
    <Part aria-label="Inputs">
      <h2>With</h2>
      <Sentence>
        {job.inputs.map((input) => {
          const options = input.type === 'yes-no' ? ['yes', 'no'] : input.options
          const label = input.title || input.name
          const error = faultOf(`definition.with.${input.name}`)
          if (input.type === 'secret')
            return (
              <Small key={input.name}>
                {label}:{' '}
                {input.default === null
                  ? 'a trigger cannot give a secret.'
                  : `${defaultWords(input.default)}, a secret.`}
              </Small>
            )
          if (options.length > 0)
            return (
              <Select
                key={input.name}
                label={label}
                value={definition.with[input.name] ?? BY_DEFAULT}
                onChange={(value) => set(input.name, value === BY_DEFAULT ? null : value)}
                choices={[
                  ...(input.default === null
                    ? []
                    : [{ id: BY_DEFAULT, title: `by default: ${defaultWords(input.default)}` }]),
                  ...options.map((id) => ({ id, title: id })),
                ]}
                error={error}
                width="190px"
              />
            )
          if (input.type === 'day')
            return (
              <DateField
                key={input.name}
                label={label}
                value={definition.with[input.name] ?? ''}
                onChange={(value) => set(input.name, value === '' ? null : value)}
                hint={input.default === null ? undefined : `empty: ${defaultWords(input.default)}`}
                error={error}
                width="190px"
              />
            )
          return (
            <TextField
              key={input.name}
              label={label}
              value={definition.with[input.name] ?? ''}
              onChange={(value) => set(input.name, value === '' ? null : value)}
              placeholder={input.default === null ? '' : `by default: ${defaultWords(input.default)}`}
              error={error}
              width="190px"
            />
          )
        })}
      </Sentence>
    </Part>
  )
}
const BY_DEFAULT = 'by default'
