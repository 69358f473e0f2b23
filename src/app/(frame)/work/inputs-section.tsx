'use client'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { DAYS_AROUND, type DayDefault } from '@/core/work/day-defaults'
import { INPUT_TYPES, isDayDefault, type Input, type InputType } from '@/core/work/inputs'
import type { CalendarRow } from '@/service/timing/calendars'
import type { SharedValueRow } from '@/service/work/shared-values'
import { api } from '@/ui/api'
import { faultIn } from '@/ui/hooks/draft'
import { Button } from '@/ui/parts/button'
import { Checkbox, TextField } from '@/ui/parts/fields'
import { Select } from '@/ui/parts/select'
import { Row, Small, Stack } from '@/ui/parts/layout'
import { ListField } from '@/ui/parts/list-field'
import { Part, Sentence } from '@/ui/parts/sentence'

interface Props {
  readonly definition: { readonly inputs: readonly Input[] }
  readonly define: (change: { inputs: Input[] }) => void
  readonly faultOf: (path: string) => string | undefined
}

/** What a job or flow asks for at its start. */
export function InputsSection({ definition, define, faultOf }: Props): ReactNode {
  const change = (index: number, part: Partial<Input>): void =>
    define({ inputs: definition.inputs.map((input, i) => (i === index ? { ...input, ...part } : input)) })
  return (
    <Part aria-label="Inputs">
      <h2>Asks for</h2>
      <Stack>
        {definition.inputs.map((input, i) => {
          const fault = (key: string): string | undefined => faultOf(`definition.inputs[${i}].${key}`)
          return (
            <Sentence key={i}>
              <TextField
                label="name"
                value={input.name}
                onChange={(name) => change(i, { name })}
                error={fault('name')}
                mono
                width="110px"
              />
              <TextField
                label="shown as"
                value={input.title}
                onChange={(title) => change(i, { title })}
                error={fault('title')}
                width="125px"
              />
              <Select
                label="a"
                value={input.type}
                onChange={(type) =>
                  change(i, {
                    type: type as InputType,
                    // What was written stays out of a secret, and a secret out of what is read.
                    default: (type === 'secret') === (input.type === 'secret') ? input.default : null,
                  })
                }
                choices={INPUT_TYPES.map((t) => ({ id: t, title: t }))}
                width="95px"
              />
              {input.type === 'choice' && (
                <ListField
                  label="of (comma between)"
                  value={input.options}
                  onChange={(options) => change(i, { options })}
                  error={faultIn(fault, 'options', input.options)}
                  width="180px"
                />
              )}
              <DefaultFields
                input={input}
                onChange={(value) => change(i, { default: value })}
                fault={fault('default')}
              />
              <div style={{ paddingTop: 21 }}>
                <Checkbox isSelected={input.ask} onChange={(ask) => change(i, { ask })}>
                  ask at start
                </Checkbox>
                {fault('ask') && <Small style={{ color: 'var(--failed)', display: 'block' }}>{fault('ask')}</Small>}
              </div>
              <div style={{ paddingTop: 20 }}>
                <Button
                  kind="quiet"
                  aria-label={`Take away input ${input.name}`}
                  onPress={() => define({ inputs: definition.inputs.filter((_, k) => k !== i) })}
                >
                  ×
                </Button>
              </div>
            </Sentence>
          )
        })}
        <Row>
          <Button
            onPress={() =>
              define({
                inputs: [
                  ...definition.inputs,
                  {
                    name: `input${definition.inputs.length + 1}`,
                    title: '',
                    type: 'text',
                    options: [],
                    default: null,
                    ask: true,
                  },
                ],
              })
            }
          >
            Add an input
          </Button>
          {definition.inputs.length === 0 && <Small>Nothing: it starts without a question.</Small>}
        </Row>
      </Stack>
    </Part>
  )
}

type Source = 'none' | 'value' | 'shared' | 'name' | 'email' | DayDefault['day']

function sourceOf(value: Input['default']): Source {
  if (value === null) return 'none'
  if (typeof value === 'string') return 'value'
  if (isDayDefault(value)) return value.day
  return 'shared' in value ? 'shared' : value.starter
}

const DAY_CHOICES = [
  { id: 'today', title: 'the run’s day' },
  { id: 'yesterday', title: 'the day before it' },
  { id: 'tomorrow', title: 'the day after it' },
  { id: 'next', title: 'the next day of …' },
  { id: 'last', title: 'the last day of …' },
]
const isAround = (source: Source): source is (typeof DAYS_AROUND)[number] =>
  (DAYS_AROUND as readonly string[]).includes(source)
const calendarOf = ({ default: value }: Input): string =>
  isDayDefault(value) && 'calendar' in value ? value.calendar : ''

/** What an input is where nothing is given: nothing, a value, a shared one, or something of whoever starts it. */
function DefaultFields({
  input,
  onChange,
  fault,
}: {
  input: Input
  onChange: (value: Input['default']) => void
  fault: string | undefined
}): ReactNode {
  const source = sourceOf(input.default)
  const isSecret = input.type === 'secret'
  const { data: shared = [] } = useQuery({
    queryKey: ['jobs', 'shared'],
    queryFn: () => api.get<SharedValueRow[]>('/shared-values'),
  })
  const { data: calendars = [] } = useQuery({
    queryKey: ['calendars'],
    queryFn: () => api.get<CalendarRow[]>('/calendars'),
    enabled: input.type === 'day',
  })
  const fitting = shared.filter((row) => row.isSecret === isSecret)
  const take = (next: Source): void => {
    if (next === 'none') onChange(null)
    else if (next === 'value') onChange(input.type === 'yes-no' ? 'no' : (input.options[0] ?? ''))
    else if (next === 'shared') onChange({ shared: fitting[0]?.name ?? 'name' })
    else if (next === 'next' || next === 'last')
      onChange({ day: next, calendar: calendarOf(input) || (calendars[0]?.slug ?? '') })
    else if (isAround(next)) onChange({ day: next })
    else onChange({ starter: next })
  }
  return (
    <>
      <Select
        label="by default"
        value={source}
        onChange={(next) => take(next as Source)}
        choices={[
          { id: 'none', title: 'nothing' },
          ...(isSecret ? [] : [{ id: 'value', title: 'this value' }]),
          { id: 'shared', title: isSecret ? 'a shared secret' : 'a shared value' },
          ...(input.type === 'day' ? DAY_CHOICES : []),
          ...(isSecret
            ? []
            : [
                { id: 'name', title: 'name of its starter' },
                { id: 'email', title: 'address of its starter' },
              ]),
        ]}
        error={source === 'value' || source === 'shared' || source === 'next' || source === 'last' ? undefined : fault}
        width="185px"
      />
      {source === 'value' && (
        <TextField label="which is" value={String(input.default)} onChange={onChange} error={fault} width="130px" />
      )}
      {source === 'shared' && (
        <Select
          label="called"
          value={(input.default as { shared: string }).shared}
          onChange={(name) => onChange({ shared: name })}
          choices={fitting.map(({ name, title }) => ({ id: name, title }))}
          error={fault ?? (fitting.length === 0 ? 'There is none yet: Work → Shared values.' : undefined)}
          width="205px"
        />
      )}
      {(source === 'next' || source === 'last') && (
        <Select
          label="calendar"
          value={calendarOf(input)}
          onChange={(calendar) => onChange({ day: source, calendar })}
          choices={calendars.map(({ slug, title }) => ({ id: slug, title }))}
          error={fault ?? (calendars.length === 0 ? 'There is none yet: Timing → Calendars.' : undefined)}
          width="205px"
        />
      )}
    </>
  )
}
