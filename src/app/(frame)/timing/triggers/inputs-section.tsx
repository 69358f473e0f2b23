'use client'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { FILE_VALUES, isFromCall, kindOf, type FromCall } from '@/core/events/kinds'
import { defaultWords, type Input } from '@/core/work/inputs'
import type { Startable } from '@/service/runs/start'
import { api } from '@/ui/api'
import { DateField } from '@/ui/parts/date-field'
import { TextField } from '@/ui/parts/fields'
import { Row, Small } from '@/ui/parts/layout'
import { Select } from '@/ui/parts/select'
import { Part, Sentence } from '@/ui/parts/sentence'
import type { SectionProps } from '@/app/shared/timing/section-props'

type Given = string | FromCall

/** The job’s or flow’s questions, answered beforehand; what is left open takes its own default. */
export function InputsSection({
  jobId,
  definition,
  define,
  faultOf,
}: SectionProps & { readonly jobId: number }): ReactNode {
  const { data: job } = useQuery({
    queryKey: ['jobs', jobId, 'start', 'trigger'],
    queryFn: () => api.get<Startable>(`/startables/${jobId}?starter=trigger`),
  })
  if (!job || job.inputs.length === 0) return null
  const set = (name: string, value: Given | null): void => {
    const { [name]: _before, ...rest } = definition.with
    define({ with: value === null || value === '' ? rest : { ...rest, [name]: value } })
  }
  const kind = kindOf(definition)
  return (
    <Part aria-label="Inputs">
      <h2>With</h2>
      <Sentence>
        {job.inputs.map((input) => {
          const error = faultOf(`definition.with.${input.name}`) ?? faultOf(`definition.with.${input.name}.from`)
          const field = { input, value: definition.with[input.name], error, set: set.bind(null, input.name) }
          if (input.type === 'secret') return <SecretWords key={input.name} input={input} />
          if (kind === 'time') return <PlainField key={input.name} {...field} />
          const isOfFile = kind === 'file' && FILE_VALUES.includes(input.name)
          return <BroughtField key={input.name} {...field} isCall={kind === 'call'} isOfFile={isOfFile} />
        })}
      </Sentence>
    </Part>
  )
}

const labelOf = (input: Input): string => input.title || input.name
const hintOf = (input: Input): string => (input.default === null ? '' : `by default: ${defaultWords(input.default)}`)

function SecretWords({ input }: { input: Input }): ReactNode {
  return (
    <Small>
      {labelOf(input)}:{' '}
      {input.default === null ? 'a trigger cannot give a secret.' : `${defaultWords(input.default)}, a secret.`}
    </Small>
  )
}

interface FieldProps {
  readonly input: Input
  readonly value: Given | undefined
  readonly error: string | undefined
  readonly set: (value: Given | null) => void
}

/** Written out: a value of the input’s own type. */
function PlainField({ input, value, error, set }: FieldProps): ReactNode {
  const options = input.type === 'yes-no' ? ['yes', 'no'] : input.options
  const text = typeof value === 'string' ? value : ''
  if (options.length > 0)
    return (
      <Select
        label={labelOf(input)}
        value={text || BY_DEFAULT}
        onChange={(next) => set(next === BY_DEFAULT ? null : next)}
        choices={[
          ...(input.default === null ? [] : [{ id: BY_DEFAULT, title: hintOf(input) }]),
          ...options.map((id) => ({ id, title: id })),
        ]}
        error={error}
        width="190px"
      />
    )
  if (input.type === 'day')
    return (
      <DateField
        label={labelOf(input)}
        value={text}
        onChange={set}
        hint={input.default === null ? undefined : `empty: ${defaultWords(input.default)}`}
        error={error}
        width="190px"
      />
    )
  return (
    <TextField
      label={labelOf(input)}
      value={text}
      onChange={set}
      placeholder={hintOf(input)}
      error={error}
      width="190px"
    />
  )
}

/** Written with names of what the event brings, or taken out of a call. */
function BroughtField({
  input,
  value,
  error,
  set,
  isCall,
  isOfFile,
}: FieldProps & { isCall: boolean; isOfFile: boolean }): ReactNode {
  const isFrom = isFromCall(value)
  const text = isFrom ? value.from : (value ?? '')
  return (
    <Row $gap={4}>
      <TextField
        label={labelOf(input)}
        value={text}
        onChange={(next) => set(isFrom ? { from: next } : next)}
        placeholder={isFrom ? '/data/vessel' : isOfFile ? 'as the file says' : hintOf(input)}
        error={error}
        mono={isFrom}
        width={isCall ? '190px' : '300px'}
      />
      {isCall && (
        <div style={{ paddingTop: 19 }}>
          <Select
            label={`Where ${labelOf(input)} comes from`}
            hideLabel
            value={isFrom ? 'call' : 'text'}
            onChange={(next) => set(next === 'call' ? { from: text.startsWith('/') ? text : `/${input.name}` } : text)}
            choices={[
              { id: 'text', title: 'as written' },
              { id: 'call', title: 'lies there in the call' },
            ]}
            width="168px"
          />
        </div>
      )}
    </Row>
  )
}
const BY_DEFAULT = 'by default'
