'use client'
import { useMutation } from '@tanstack/react-query'
import dynamic from 'next/dynamic'
import { useState, type ReactNode } from 'react'
import styled from 'styled-components'
import { splitPath } from '@/core/events/file-name'
import { TOLD_STATES } from '@/core/events/kinds'
import type { TriggerDefinition } from '@/core/work/trigger'
import type { TriggerPreview } from '@/service/forecast/previews'
import type { Tried } from '@/service/timing/event-try'
import { api } from '@/ui/api'
import { count } from '@/ui/format'
import { Button } from '@/ui/parts/button'
import { TextField } from '@/ui/parts/fields'
import { Row, Small, Stack, Trouble } from '@/ui/parts/layout'
import { NumberField, OptionalNumber } from '@/ui/parts/number-field'
import { Select } from '@/ui/parts/select'
import { StateMark } from '@/ui/parts/state-mark'
import { Side } from './side'

const Inputs = styled.dl`
  display: grid;
  grid-template-columns: max-content minmax(0, 1fr);
  gap: 2px 10px;
  margin: 0;
  dd {
    margin: 0;
    overflow-wrap: anywhere;
  }
  dt {
    color: var(--mute);
  }
`

/** Beside the form of a trigger that waits for something to happen: its sentence, and a place to make such a thing up and see what would come of it. */
const STATE_WORDS = {
  succeeded: 'succeeded',
  failed: 'failed',
  lost: 'been lost',
  cancelled: 'been cancelled',
  changed: 'written something else',
} as const
const MeasureChart = dynamic(() => import('./measure-chart').then((module) => module.MeasureChart))

export function TryIt({
  preview,
  error,
  definition,
  jobId,
}: {
  preview: TriggerPreview | undefined
  error: Error | null
  definition: TriggerDefinition
  jobId: number
}): ReactNode {
  const { event, fields } = useMadeUp(definition)
  const tried = useMutation({
    mutationFn: () => api.post<Tried>('/triggers/try', { jobId, definition, event }),
  })
  return (
    <Side aria-label="What it will do">
      <Trouble error={error} />
      {preview && (
        <section>
          <h2>It starts</h2>
          <p style={{ margin: '2px 0 0' }}>{preview.says}.</p>
        </section>
      )}
      {definition.measure && <MeasureChart measure={definition.measure} />}
      <Stack as="section" $gap={8} aria-label="Try it">
        <h2>Try it with something made up</h2>
        {fields}
        <Row>
          <Button
            onPress={() => tried.mutate()}
            whyNot={
              jobId === 0
                ? 'Choose first what it starts.'
                : event === undefined
                  ? 'What is made up cannot be read yet.'
                  : undefined
            }
          >
            Try it
          </Button>
          <Small>Nothing is started.</Small>
        </Row>
        <Trouble error={tried.error} />
        {tried.data && <Outcome tried={tried.data} />}
      </Stack>
    </Side>
  )
}

const MARKS = { starts: 'succeeded', waits: 'waiting', 'starts nothing': 'skipped' } as const

function Outcome({ tried: { is, why, inputs } }: { tried: Tried }): ReactNode {
  const given = Object.entries(inputs)
  return (
    <Stack $gap={6} role="status">
      <Row $gap={6}>
        <StateMark mark={MARKS[is]} size={13} />
        <b>{why}</b>
      </Row>
      {given.length > 0 && (
        <>
          <Small>With {count(given.length, 'value')}:</Small>
          <Inputs>
            {given.map(([name, value]) => (
              <div key={name} style={{ display: 'contents' }}>
                <dt>{name}</dt>
                <dd>{value === '' ? <Small>empty</Small> : value}</dd>
              </div>
            ))}
          </Inputs>
        </>
      )}
    </Stack>
  )
}

/** What happens, made up, with the fields in which it is. `event` undefined: it cannot be read. */
function useMadeUp({ backlog, after, file, measure }: TriggerDefinition): { event: unknown; fields: ReactNode } {
  const [waiting, setWaiting] = useState(5)
  const [oldest, setOldest] = useState<number | null>(null)
  const [open, setOpen] = useState(0)
  const [state, setState] = useState('succeeded')
  const [values, setValues] = useState('')
  const [row, setRow] = useState('')
  const [body, setBody] = useState('{}')
  const [name, setName] = useState(() => (file ? splitPath(file.path).name.replaceAll(/[*?]+/g, '1') : ''))
  if (backlog)
    return {
      event: { waiting, oldestMinutes: oldest, open },
      fields: (
        <Row $gap={8} style={{ alignItems: 'flex-end' }}>
          <NumberField label="Items wait" isLabelled value={waiting} onChange={setWaiting} width="80px" />
          <OptionalNumber label="One for, minutes" value={oldest} onChange={setOldest} placeholder="–" />
          <NumberField label="Runs go on" isLabelled value={open} onChange={setOpen} width="80px" />
        </Row>
      ),
    }
  if (after)
    return {
      event: { state, values: valuesOf(values) },
      fields: (
        <>
          <Select
            label="Its run has"
            value={state}
            onChange={setState}
            choices={TOLD_STATES.map((id) => ({
              id,
              title: STATE_WORDS[id],
            }))}
            width="160px"
          />
          <TextField label="It handed on" value={values} onChange={setValues} rows={2} mono placeholder="count=3" />
        </>
      ),
    }
  if (measure) {
    const numbers = row
      .split(/[\s,;]+/)
      .filter(Boolean)
      .map(Number)
    return {
      event: numbers.some((n) => !Number.isFinite(n)) ? undefined : { values: numbers },
      fields: (
        <TextField
          label="Values, a minute apart"
          value={row}
          onChange={setRow}
          mono
          placeholder="85 91 92 93"
          error={numbers.some((n) => !Number.isFinite(n)) ? 'Numbers, with blanks between them.' : undefined}
        />
      ),
    }
  }
  if (file)
    return {
      event: { name },
      fields: <TextField label="Name of a file that has come" value={name} onChange={setName} mono />,
    }
  let sent: unknown
  try {
    sent = JSON.parse(body)
  } catch {
    sent = undefined
  }
  return {
    event: sent === undefined ? undefined : { body: sent },
    fields: (
      <TextField
        label="Sent, as JSON"
        value={body}
        onChange={setBody}
        rows={5}
        mono
        error={sent === undefined ? 'This is no JSON.' : undefined}
      />
    ),
  }
}

/** `name=value`, a line for each. */
const valuesOf = (text: string): Record<string, string> =>
  Object.fromEntries(
    text.split('\n').flatMap((line) => {
      const at = line.indexOf('=')
      return at > 0 ? [[line.slice(0, at).trim(), line.slice(at + 1).trim()]] : []
    }),
  )
