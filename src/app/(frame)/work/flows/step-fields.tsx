'use client'
import type { ReactNode } from 'react'
import { isoDuration, parseDuration } from '@/core/timing/duration'
import type { FlowDefinition, FlowStep } from '@/core/work/flow'
import { useFollowing } from '@/ui/hooks/following'
import { useSay } from '@/ui/frame/announcer'
import { TextField } from '@/ui/parts/fields'
import { readLength, writeLength } from './editor-model'

/** What of the step is another now (undefined: it has that no more), and how the change is called. The same function each time. */
export type SetStep = (change: { readonly [K in keyof FlowStep]?: FlowStep[K] | undefined }, what: string) => void
/** Changes the flow that is being written, as it is at that moment. The same function each time. */
export type Define = (edit: (flow: FlowDefinition) => FlowDefinition, what: string) => void
/** What is wrong with a part of the step. The same function until the faults are others. */
export type FaultOf = (key: string) => string | undefined

/** The name takes effect when the field is left: links to it follow. */
export function NameField({
  step,
  taken,
  error,
  onRename,
}: {
  step: FlowStep
  /** Names of the other steps: one of them would make two of one, and every link to it unclear. */
  taken: readonly string[]
  error: string | undefined
  onRename: (id: string) => void
}): ReactNode {
  const [text, setText] = useFollowing(step.id, (id) => id)
  const say = useSay()
  const isName = /^[a-z0-9][a-z0-9-]{0,63}$/.test(text)
  const isTaken = taken.includes(text)
  const take = (): void => {
    if (text === step.id) return
    if (!isTaken) return onRename(text)
    setText(step.id, step.id)
    say(`There is a step called ${text} already: this one stays ${step.id}.`, { bad: true })
  }
  return (
    <div onBlur={take} onKeyDown={(event) => event.key === 'Enter' && take()}>
      <TextField
        label="Step"
        mono
        value={text}
        onChange={(next) => setText(next, step.id)}
        error={!isName ? 'Lower-case letters, digits and hyphens.' : isTaken ? 'Another step is called so.' : error}
        width="170px"
      />
    </div>
  )
}

export function GroupField({ group, onChange }: { group: string; onChange: (id: string) => void }): ReactNode {
  const [text, setText] = useFollowing(group, (id) => id)
  const isName = text === '' || /^[a-z0-9][a-z0-9-]{0,63}$/.test(text)
  return (
    <div onBlur={() => text !== group && onChange(text)}>
      <TextField
        label="Group"
        hideLabel
        placeholder="none"
        value={text}
        onChange={(next) => setText(next, group)}
        error={isName ? undefined : 'Lower-case letters, digits and hyphens.'}
        width="130px"
      />
    </div>
  )
}

/** A length as people write it, kept as a duration of the format. */
export function LengthField({
  label,
  value,
  onChange,
  error,
}: {
  label: string
  value: string | undefined
  onChange: (value: string | undefined) => void
  error?: string | undefined
}): ReactNode {
  const shown = value === undefined ? '' : shownLength(value)
  const [text, setText] = useFollowing(shown, (each) => each)
  const seconds = readLength(text)
  const isFine = text.trim() === '' || seconds !== undefined
  return (
    <TextField
      label={label}
      hideLabel
      value={text}
      placeholder="9 min"
      onChange={(next) => {
        const read = readLength(next)
        const written = read === undefined ? next : isoDuration(read)
        const meant = next.trim() === '' ? undefined : written
        setText(next, meant === undefined ? '' : shownLength(meant))
        onChange(meant)
      }}
      error={isFine ? error : 'Write it like 90 s, 5 min or 1 h 30 min.'}
      width="120px"
    />
  )
}

/** As people write it; what is no length, as it was typed. */
function shownLength(value: string): string {
  const seconds = parseDuration(value)
  return seconds === undefined ? value : writeLength(seconds)
}
