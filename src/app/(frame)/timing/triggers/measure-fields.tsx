'use client'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { AGENT_MEASURES, QUEUE_MEASURES, type Measure, type MeasureOf } from '@/core/events/kinds'
import type { AgentRow, PoolRow } from '@/service/fleet/fleet'
import type { QueueListed } from '@/service/queues/figures'
import type { JobRow } from '@/service/work/work'
import { api } from '@/ui/api'
import { asTyped, useFollowing } from '@/ui/hooks/following'
import { TextField } from '@/ui/parts/fields'
import { Small, Stack } from '@/ui/parts/layout'
import { NumberField } from '@/ui/parts/number-field'
import { Select } from '@/ui/parts/select'
import { Sentence, Word } from '@/ui/parts/sentence'
import type { SectionProps } from '@/app/shared/timing/section-props'

const WHOSE = [
  { id: 'agent', title: 'an agent' },
  { id: 'pool', title: 'each agent of a pool' },
  { id: 'queue', title: 'a queue' },
  { id: 'job', title: 'the runs of a job' },
]
type Whose = 'agent' | 'pool' | 'queue' | 'job'
const NAME_WORDS: Record<string, string> = {
  memory: 'memory in use, %',
  disk: 'the fullest disk, %',
  load: 'load per processor',
  waiting: 'items that wait',
  oldest: 'how long the first has waited, s',
}

/** Whose measure, which, beyond what and how often in a row. */
export function MeasureFields({
  measure,
  define,
  faultOf,
  jobs,
}: SectionProps & { measure: Measure; jobs: readonly JobRow[] }): ReactNode {
  const set = (change: Partial<Measure>): void => {
    const next = Object.entries({ ...measure, ...change }).filter(([, value]) => value !== undefined)
    define({ measure: Object.fromEntries(next) as Measure })
  }
  const fault = (key: string): string | undefined => faultOf(`definition.measure.${key}`)
  const whose = (Object.keys(measure.of)[0] ?? 'agent') as Whose
  const names: readonly string[] = whose === 'queue' ? QUEUE_MEASURES : AGENT_MEASURES
  const side = measure.below === undefined ? 'above' : 'below'
  return (
    <Stack>
      <Sentence>
        <Word>of</Word>
        <Select
          label="Whose measure"
          hideLabel
          value={whose}
          onChange={(next) =>
            set({
              of: { [next]: '' } as MeasureOf,
              name: next === 'queue' ? 'waiting' : next === 'job' ? 'count' : 'memory',
            })
          }
          choices={WHOSE}
          width="170px"
        />
        <Which whose={whose} of={measure.of} jobs={jobs} onChange={(of) => set({ of })} error={fault(`of.${whose}`)} />
      </Sentence>
      <Sentence>
        {whose === 'job' ? (
          <TextField
            label="Name of the value"
            hideLabel
            mono
            value={measure.name}
            onChange={(name) => set({ name })}
            error={fault('name')}
            width="190px"
          />
        ) : (
          <Select
            label="Measure"
            hideLabel
            value={measure.name}
            onChange={(name) => set({ name })}
            choices={names.map((id) => ({ id, title: NAME_WORDS[id] ?? id }))}
            width="230px"
            error={fault('name')}
          />
        )}
        <Word>is</Word>
        <Select
          label="Above or below"
          hideLabel
          value={side}
          onChange={(next) => {
            const limit = measure.above ?? measure.below
            set(
              next === 'above'
                ? { above: limit, below: undefined, clear: undefined }
                : { below: limit, above: undefined, clear: undefined },
            )
          }}
          choices={[
            { id: 'above', title: 'above' },
            { id: 'below', title: 'below' },
          ]}
          width="92px"
        />
        <Decimal
          label="Limit"
          value={measure[side]}
          onChange={(limit) => set({ [side]: limit })}
          error={fault(side) ?? fault('above')}
        />
      </Sentence>
      <Sentence>
        <NumberField
          label="Values in a row"
          value={measure.times}
          onChange={(times) => set({ times })}
          error={fault('times')}
        />
        <Word>
          {measure.times === 1 ? 'time' : 'times in a row'}; again only after it was{' '}
          {side === 'above' ? 'below' : 'above'}
        </Word>
        <Decimal
          label="Cleared at"
          value={measure.clear}
          onChange={(clear) => set({ clear })}
          error={fault('clear')}
          empty="the limit"
        />
      </Sentence>
      <Small>
        {whose === 'job'
          ? 'What its runs hand on as name=value, one value for each run.'
          : 'One value a minute. A gap of more than three of the usual distances begins the row anew.'}
      </Small>
    </Stack>
  )
}

/** Which agent, pool, queue or job. */
function Which({
  whose,
  of,
  jobs,
  onChange,
  error,
}: {
  whose: Whose
  of: MeasureOf
  jobs: readonly JobRow[]
  onChange: (of: MeasureOf) => void
  error: string | undefined
}): ReactNode {
  const { data: agents = [] } = useQuery({ queryKey: ['agents'], queryFn: () => api.get<AgentRow[]>('/agents') })
  const { data: pools = [] } = useQuery({ queryKey: ['pools'], queryFn: () => api.get<PoolRow[]>('/pools') })
  const { data: queues = [] } = useQuery({ queryKey: ['queues'], queryFn: () => api.get<QueueListed[]>('/queues') })
  const choices = {
    agent: agents.map(({ name }) => ({ id: name, title: name })),
    pool: pools.map(({ name, title }) => ({ id: name, title })),
    queue: queues.map(({ slug, title }) => ({ id: slug, title })),
    job: jobs
      .filter(({ isFlow }) => !isFlow)
      .map(({ slug, title, area }) => ({ id: slug, title: `${title} · ${area}` })),
  }[whose]
  return (
    <Select
      key={whose}
      label="Which one"
      hideLabel
      value={of[whose] || null}
      onChange={(id) => onChange({ [whose]: id } as MeasureOf)}
      choices={choices}
      placeholder="Choose"
      width="220px"
      error={error}
    />
  )
}

const DECIMAL = /^-?\d+(\.\d+)?$/

/** A number, or none; what is no number is kept as it was typed, and said. */
function Decimal({
  label,
  value,
  onChange,
  error,
  empty = '',
}: {
  label: string
  value: number | undefined
  onChange: (value: number | undefined) => void
  error: string | undefined
  empty?: string
}): ReactNode {
  const [text, setText] = useFollowing(String(value ?? ''), String)
  return (
    <TextField
      label={label}
      hideLabel
      value={text}
      placeholder={empty}
      error={text.trim() === '' || DECIMAL.test(text.trim()) ? error : 'A number.'}
      width="84px"
      onChange={(next) => {
        const meant = next.trim() === '' ? undefined : DECIMAL.test(next.trim()) ? Number(next) : asTyped<number>(next)
        setText(next, String(meant ?? ''))
        onChange(meant)
      }}
    />
  )
}
