'use client'
import { parseDateTime, toZoned } from '@internationalized/date'
import { useQuery } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import { useState, type FormEvent, type ReactNode } from 'react'
import { resolveInputs, sharedNameOf, writtenDefault, type Input } from '@/core/work/inputs'
import type { AgentRow } from '@/service/fleet/fleet'
import type { Startable } from '@/service/runs/start'
import type { ApiProblem } from '@/ui/api'
import { api } from '@/ui/api'
import { duration } from '@/ui/format'
import { useMay, useMe } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { DateField } from '@/ui/parts/date-field'
import { Checkbox, TextField } from '@/ui/parts/fields'
import { Select } from '@/ui/parts/select'
import { Mono, Row, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { targetWords } from '@/core/dispatch/target'

/** Run again: with these inputs to begin with. */
export interface AgainOf {
  readonly id: number
  readonly inputs: Readonly<Record<string, string>>
}

/** What a start asks for, and when and where it is to be. */
export function StartForm({
  job,
  onClose,
  againOf,
}: {
  job: Startable
  onClose: () => void
  againOf: AgainOf | undefined
}): ReactNode {
  const router = useRouter()
  const { zone } = useMe()
  const { why } = useMay('operate')
  const asked = job.inputs.filter((input) => input.ask)
  const [values, setValues] = useState<Record<string, string>>(() =>
    Object.fromEntries(
      asked.map((input) => [
        input.name,
        againOf?.inputs[input.name] ?? (writtenDefault(input) || (input.type === 'yes-no' ? 'no' : '')),
      ]),
    ),
  )
  const [later, setLater] = useState(false)
  const [at, setAt] = useState('')
  const [where, setWhere] = useState('job')
  const [trouble, setTrouble] = useState<ApiProblem | null>(null)
  const [sending, setSending] = useState(false)
  const [requestKey] = useState(() => crypto.randomUUID())
  const { data: agents = [] } = useQuery({ queryKey: ['agents'], queryFn: () => api.get<AgentRow[]>('/agents') })

  const given = Object.fromEntries(
    Object.entries(values).filter(
      ([name, value]) => value !== '' || asked.find((i) => i.name === name)?.type === 'text',
    ),
  )
  // A secret that is not given anew is taken over from the run before.
  // What the server alone knows counts as there: a shared secret.
  const localFaults = resolveInputs(job.inputs, given, () => '…').faults.filter(
    (fault) => !(againOf && asked.find((i) => i.name === fault.name)?.type === 'secret' && !values[fault.name]),
  )
  const serverFaults = new Map(trouble?.errors.map((fault) => [fault.path.replace('inputs.', ''), fault.message]))
  const [tried, setTried] = useState(false)
  const faultOf = (name: string): string | undefined =>
    serverFaults.get(name) ?? (tried ? localFaults.find((fault) => fault.name === name)?.message : undefined)
  const isWhen = /^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}$/.test(at)
  const atFault = later && tried && !isWhen ? 'Say when.' : undefined

  const submit = (event: FormEvent): void => {
    event.preventDefault()
    setTried(true)
    setTrouble(null)
    if (localFaults.length > 0 || (later && !isWhen)) return
    setSending(true)
    const target = where === 'job' ? null : { agent: where }
    const body = againOf
      ? { inputs: given, requestKey }
      : {
          jobId: job.id,
          inputs: given,
          at: later ? toZoned(parseDateTime(at), zone).toAbsoluteString() : null,
          target,
          requestKey,
        }
    api.post<{ id: number }>(againOf ? `/runs/${againOf.id}/again` : '/runs', body).then(
      ({ id }) => {
        onClose()
        router.push(`/runs/${id}`)
      },
      (problem: ApiProblem) => {
        setTrouble(problem)
        setSending(false)
      },
    )
  }
  return (
    <form onSubmit={submit}>
      <Stack $gap={12}>
        {trouble && trouble.errors.length === 0 && <Trouble error={trouble} />}
        {asked.length === 0 && <p>It asks for nothing.</p>}
        {asked.map((input) => (
          <InputField
            key={input.name}
            input={input}
            value={values[input.name] ?? ''}
            error={faultOf(input.name)}
            onChange={(value) => setValues((before) => ({ ...before, [input.name]: value }))}
            isAgain={againOf !== undefined}
          />
        ))}
        {!againOf && (
          <>
            <Row $top>
              <Select
                label="When"
                value={later ? 'later' : 'now'}
                onChange={(value) => setLater(value === 'later')}
                choices={[
                  { id: 'now', title: 'Now' },
                  { id: 'later', title: 'At a given time' },
                ]}
                width="160px"
              />
              {later && (
                <DateField
                  label={`Start at (${zone})`}
                  isTimed
                  value={at}
                  onChange={setAt}
                  error={atFault}
                  width="210px"
                />
              )}
            </Row>
            {job.target !== null && (
              <Select
                label="Where"
                value={where}
                onChange={setWhere}
                choices={[
                  { id: 'job', title: `As the job says: ${targetWords(job.target)}` },
                  ...agents
                    .filter((a) => a.state !== 'revoked')
                    .map((a) => ({ id: a.name, title: `Only on ${a.name} (${a.state})` })),
                ]}
              />
            )}
          </>
        )}
        <Small>
          {job.usualMs !== null && `It usually takes ${duration(job.usualMs)}. `}
          {job.command !== null && <Mono>{job.command.slice(0, 120)}</Mono>}
        </Small>
        <Row>
          <Spring />
          <Button onPress={onClose}>Cancel</Button>
          <Button
            kind="strong"
            type="submit"
            isDisabled={sending}
            whyNot={
              why ?? (job.active ? undefined : job.isFlow ? 'This flow is switched off.' : 'This job is switched off.')
            }
          >
            {againOf ? 'Run again' : later ? 'Start then' : 'Start now'}
          </Button>
        </Row>
      </Stack>
    </form>
  )
}

function InputField({
  input,
  value,
  error,
  onChange,
  isAgain,
}: {
  input: Input
  value: string
  error: string | undefined
  onChange: (value: string) => void
  isAgain: boolean
}): ReactNode {
  const label = input.title || input.name
  if (input.type === 'choice')
    return (
      <Select
        label={label}
        value={value}
        onChange={onChange}
        error={error}
        choices={input.options.map((option) => ({ id: option, title: option }))}
      />
    )
  if (input.type === 'yes-no') {
    return (
      <Checkbox isSelected={value === 'yes'} onChange={(on) => onChange(on ? 'yes' : 'no')}>
        {label}
      </Checkbox>
    )
  }
  if (input.type === 'day') return <DateField label={label} value={value} onChange={onChange} error={error} />
  const type = input.type === 'secret' ? 'password' : 'text'
  const shared = sharedNameOf(input)
  const hint =
    input.type !== 'secret'
      ? undefined
      : isAgain
        ? 'Leave it empty to use the same as before. Never shown again.'
        : shared !== null
          ? `Leave it empty to use the shared secret ${shared}.`
          : 'Kept encrypted; never shown again.'
  return (
    <TextField
      label={label}
      type={type}
      value={value}
      onChange={onChange}
      error={error}
      hint={hint}
      autoComplete="off"
    />
  )
}
