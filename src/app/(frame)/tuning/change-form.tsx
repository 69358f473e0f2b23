'use client'
import { useState, type ReactNode } from 'react'
import { changeSchema, type Change } from '@/core/forecast/change'
import { Button } from '@/ui/parts/button'
import { TextField } from '@/ui/parts/fields'
import { Row, Small, Stack } from '@/ui/parts/layout'
import { Select } from '@/ui/parts/select'
import type { TabProps } from './tab-props'

const KINDS = {
  at: 'a trigger starts at another time',
  length: 'a job takes longer or shorter',
  slots: 'a pool has more or fewer slots',
  away: 'an agent is away',
  units: 'a lock has more units',
  off: 'a trigger is switched off',
  finishBy: 'a trigger is to finish by',
  extra: 'work is started besides',
} as const
type Kind = keyof typeof KINDS

interface Field {
  readonly name: string
  readonly label: string
  readonly usual: string
  readonly choices?: readonly { readonly id: string; readonly title: string }[]
}

/** Asks for one change, in the words of the list. */
export function ChangeForm({ stretch, night, onAdd }: TabProps & { onAdd: (change: Change) => void }): ReactNode {
  const [kind, setKind] = useState<Kind>('at')
  const [values, setValues] = useState<Readonly<Record<string, string>>>({})
  const [fault, setFault] = useState<string | null>(null)
  const fields = fieldsOf(kind, night)
  const valueOf = ({ name, usual, choices }: Field): string => {
    const value = values[name] ?? usual
    return choices && !choices.some(({ id }) => id === value) ? (choices[0]?.id ?? '') : value
  }
  const add = (): void => {
    const given = Object.fromEntries(fields.map((field) => [field.name, valueOf(field).trim()]))
    const read = changeSchema.safeParse(changeOf(kind, given, stretch.from))
    if (!read.success) {
      setFault(read.error.issues[0]?.message ?? 'It cannot be read.')
      return
    }
    setFault(null)
    setValues({})
    onAdd(read.data)
  }
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault()
        add()
      }}
    >
      <Stack $gap={8}>
        <Select
          label="What is other than now"
          value={kind}
          onChange={(next) => {
            setKind(next as Kind)
            setFault(null)
          }}
          choices={Object.entries(KINDS).map(([id, title]) => ({ id, title }))}
        />
        <Row $wrap style={{ alignItems: 'flex-end' }}>
          {fields.map((field) =>
            field.choices ? (
              <Select
                key={`${kind} ${field.name}`}
                label={field.label}
                value={valueOf(field)}
                onChange={(value) => setValues({ ...values, [field.name]: value })}
                choices={field.choices}
                width="220px"
              />
            ) : (
              <TextField
                key={`${kind} ${field.name}`}
                label={field.label}
                value={valueOf(field)}
                onChange={(value) => setValues({ ...values, [field.name]: value })}
                width="92px"
              />
            ),
          )}
          <Button type="submit">Add it</Button>
        </Row>
        {fault && (
          <Small role="alert" style={{ color: 'var(--failed)' }}>
            {fault}
          </Small>
        )}
      </Stack>
    </form>
  )
}

function fieldsOf(kind: Kind, { names, agents, locks, demand }: TabProps['night']): readonly Field[] {
  const sorted = (list: { id: string; title: string }[]): { id: string; title: string }[] =>
    list.sort((a, b) => (a.title.toLowerCase() < b.title.toLowerCase() ? -1 : 1))
  const triggers = sorted(Object.entries(names.triggers).map(([id, { title }]) => ({ id, title })))
  const jobs = sorted(Object.entries(names.jobs).map(([id, title]) => ({ id, title })))
  const named = (list: readonly string[]): { id: string; title: string }[] => list.map((id) => ({ id, title: id }))
  const choice = (name: string, label: string, choices: Field['choices'] = []): Field => ({
    name,
    label,
    usual: '',
    choices,
  })
  const text = (name: string, label: string, usual: string): Field => ({ name, label, usual })
  switch (kind) {
    case 'at':
      return [choice('trigger', 'Trigger', triggers), text('to', 'At', '02:30')]
    case 'length':
      return [choice('job', 'Job', jobs), text('times', 'Times as long', '1.5')]
    case 'slots':
      return [
        choice('pool', 'Pool', named(demand.pools.map(({ id }) => id).filter((id) => id !== ''))),
        text('to', 'Slots', '6'),
      ]
    case 'away':
      return [choice('agent', 'Agent', named(agents)), text('from', 'From', '02:00'), text('to', 'To', '04:00')]
    case 'units':
      return [choice('lock', 'Lock', named(locks)), text('to', 'Units', '2')]
    case 'off':
      return [choice('trigger', 'Trigger', triggers)]
    case 'finishBy':
      return [choice('trigger', 'Trigger', triggers), text('to', 'By', '05:00')]
    case 'extra':
      return [choice('work', 'Job', jobs), text('at', 'At', '02:00'), text('times', 'How many', '1')]
  }
}

/** As the command line writes it. Times of day are those of the first such time in the stretch, in UTC as the browser's clock has it. */
function changeOf(kind: Kind, given: Readonly<Record<string, string>>, from: string): unknown {
  const { to = '', trigger = '' } = given
  const number = (text: string | undefined): number | string =>
    text !== undefined && text !== '' && Number.isFinite(Number(text)) ? Number(text) : (text ?? '')
  switch (kind) {
    case 'at':
      return { at: { trigger, to: [to] } }
    case 'length':
      return { length: { job: given.job, times: number(given.times) } }
    case 'slots':
      return { slots: { pool: given.pool, to: number(to) } }
    case 'away': {
      const begins = instantAfter(from, given.from ?? '')
      return { away: { agent: given.agent, from: begins, to: instantAfter(begins, to) } }
    }
    case 'units':
      return { units: { lock: given.lock, to: number(to) } }
    case 'off':
      return { off: { trigger } }
    case 'finishBy':
      return { finishBy: { trigger, to: to === '' ? null : to } }
    case 'extra':
      return { extra: { work: given.work, at: instantAfter(from, given.at ?? ''), times: number(given.times) } }
  }
}

/** The first instant after another at which a clock of the browser shows this time; what is no time is left as it is, to be refused. */
function instantAfter(from: string, time: string): string {
  const [, h, m] = /^(\d{1,2}):(\d{2})$/.exec(time) ?? []
  const begins = new Date(from)
  if (h === undefined || m === undefined || Number.isNaN(begins.getTime())) return time
  const at = new Date(begins)
  at.setHours(Number(h), Number(m), 0, 0)
  if (at < begins) at.setDate(at.getDate() + 1)
  return at.toISOString()
}
