'use client'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { AFTER_WHEN, DEFAULT_STOP_AFTER, type After, type Backlog } from '@/core/events/kinds'
import type { QueueListed } from '@/service/queues/figures'
import type { JobRow } from '@/service/work/work'
import { api } from '@/ui/api'
import { NumberField, OptionalNumber } from '@/ui/parts/number-field'
import { Select } from '@/ui/parts/select'
import { Small, Stack } from '@/ui/parts/layout'
import { Part, Sentence, Word } from '@/ui/parts/sentence'
import { MinutesField } from '@/app/shared/timing/how-sections'
import type { SectionProps } from '@/app/shared/timing/section-props'
import { TimeField } from '@/app/shared/timing/time-field'
import { CallFields } from './call-fields'
import { FileFields } from './file-fields'
import { MeasureFields } from './measure-fields'

/** What must happen for the trigger to start, as a sentence. `id`: the saved trigger; null: it is new. */
export function EventFields({
  jobs,
  id,
  ...section
}: SectionProps & { jobs: readonly JobRow[]; id: number | null }): ReactNode {
  const { backlog, after, call, file, measure } = section.definition
  if (backlog) return <BacklogFields {...section} backlog={backlog} />
  if (after) return <AfterFields {...section} after={after} jobs={jobs} />
  if (measure) return <MeasureFields {...section} measure={measure} jobs={jobs} />
  if (file) return <FileFields {...section} file={file} id={id} />
  return call ? <CallFields {...section} call={call} id={id} /> : null
}

function BacklogFields({ backlog, define, faultOf }: SectionProps & { backlog: Backlog }): ReactNode {
  const { data: queues = [] } = useQuery({ queryKey: ['queues'], queryFn: () => api.get<QueueListed[]>('/queues') })
  const set = (change: Partial<Backlog>): void => define({ backlog: { ...backlog, ...change } })
  const fault = (key: string): string | undefined => faultOf(`definition.backlog.${key}`)
  return (
    <Stack>
      <Sentence>
        <Word>in</Word>
        <Select
          label="Queue"
          hideLabel
          value={backlog.queue || null}
          onChange={(queue) => set({ queue })}
          choices={queues.map(({ slug, title }) => ({ id: slug, title }))}
          placeholder="Choose a queue"
          width="220px"
          error={fault('queue')}
        />
        <Word>at least</Word>
        <NumberField
          label="At least so many items"
          value={backlog.atLeast}
          onChange={(atLeast) => set({ atLeast })}
          error={fault('atLeast')}
        />
        <Word>wait, or one for</Word>
        <MinutesField
          label="Or one for so many minutes"
          value={backlog.orOldest}
          onChange={(orOldest) => set({ orOldest })}
          error={fault('orOldest')}
          empty="any"
        />
        <Word>minutes</Word>
      </Sentence>
      <Sentence>
        <Word>One run for each</Word>
        <NumberField
          label="Items for each run"
          value={backlog.perRun}
          onChange={(perRun) => set({ perRun })}
          error={fault('perRun')}
        />
        <Word>{backlog.perRun === 1 ? 'item' : 'items'} that wait; at most</Word>
        <NumberField
          label="Runs at once"
          value={backlog.most}
          onChange={(most) => set({ most })}
          error={fault('most')}
        />
        <Word>at once.</Word>
      </Sentence>
    </Stack>
  )
}

const WHEN_WORDS = {
  succeeded: 'has succeeded',
  failed: 'has failed or was lost',
  ended: 'has ended, however',
  changed: 'has written something else',
}

function AfterFields({
  after,
  define,
  faultOf,
  jobs,
}: SectionProps & { after: After; jobs: readonly JobRow[] }): ReactNode {
  return (
    <Stack>
      <Sentence>
        <Select
          label="Work to wait for"
          hideLabel
          value={after.work || null}
          onChange={(work) => define({ after: { ...after, work } })}
          choices={jobs.map(({ slug, title, area }) => ({ id: slug, title: `${title} · ${area}` }))}
          placeholder="Choose a job or a flow"
          width="260px"
          error={faultOf('definition.after.work')}
        />
        <Select
          label="How it ended"
          hideLabel
          value={after.when}
          onChange={(when) => define({ after: { ...after, when: when as After['when'] } })}
          choices={AFTER_WHEN.map((id) => ({ id, title: WHEN_WORDS[id] }))}
          width="190px"
        />
      </Sentence>
      <Small>
        Under “With” {'${name}'} takes what its run handed on under that name, {'${step.name}'} what a step of its flow
        did, {'${run}'} its number.
      </Small>
    </Stack>
  )
}

/** When it may start, how often, and when it stops itself. */
export function LimitsSection({ definition, define, faultOf }: SectionProps): ReactNode {
  const { between, atMost } = definition
  const setBetween = (change: { earliest?: string | undefined; latest?: string | undefined }): void => {
    const { earliest, latest } = { ...between, ...change }
    define({ between: earliest || latest ? { earliest: earliest ?? '', latest: latest ?? '' } : undefined })
  }
  const setRate = (change: { starts?: number | null; in?: string | undefined }): void => {
    const { starts = null, in: stretch } = { ...atMost, ...change }
    define({ atMost: starts === null ? undefined : { starts, in: stretch ?? 'PT1H' } })
  }
  return (
    <Part aria-label="Limits">
      <h2>Only</h2>
      <Stack>
        <Sentence>
          <Word>between</Word>
          <TimeField
            label="Not before"
            value={between?.earliest || undefined}
            onChange={(earliest) => setBetween({ earliest })}
            empty="any time"
            error={faultOf('definition.between.earliest') ?? faultOf('definition.between')}
          />
          <Word>and</Word>
          <TimeField
            label="Not after"
            value={between?.latest || undefined}
            onChange={(latest) => setBetween({ latest })}
            empty="any time"
            error={faultOf('definition.between.latest')}
          />
          <Word>on its clock. What happens outside waits until then.</Word>
        </Sentence>
        <Sentence>
          <Word>No more than</Word>
          <OptionalNumber
            label="Starts at most"
            hideLabel
            value={atMost?.starts ?? null}
            onChange={(starts) => setRate({ starts })}
            error={faultOf('definition.atMost.starts')}
            placeholder="any number"
          />
          <Word>starts within</Word>
          <MinutesField
            label="Within so many minutes"
            value={atMost?.in}
            onChange={(stretch) => setRate({ in: stretch })}
            error={faultOf('definition.atMost.in')}
          />
          <Word>minutes.</Word>
        </Sentence>
        <Sentence>
          <Word>After</Word>
          <OptionalNumber
            label="Failed runs in a row that switch it off"
            hideLabel
            value={definition.stopAfter ?? null}
            onChange={(most) => define({ stopAfter: most ?? undefined })}
            error={faultOf('definition.stopAfter')}
            placeholder={String(DEFAULT_STOP_AFTER)}
            width="64px"
          />
          <Word>failed runs in a row it switches itself off, and a person is told.</Word>
        </Sentence>
      </Stack>
    </Part>
  )
}
