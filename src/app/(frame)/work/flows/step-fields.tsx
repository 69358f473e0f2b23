'use client'
import type { ReactNode } from 'react'
import { isoDuration, parseDuration } from '@/core/timing/duration'
import type { FlowDefinition, FlowStep } from '@/core/work/flow'
import { useFollowing } from '@/ui/hooks/following'
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
  error,
  onRename,
}: {
  step: FlowStep
  error: string | undefined
  onRename: (id: string) => void
}): ReactNode {
  const [text, setText] = useFollowing(step.id, (id) => id)
  const isName = /^[a-z0-9][a-z0-9-]{0,63}$/.test(text)
  return (
    <div
      onBlur={() => isName && text !== step.id && onRename(text)}
      onKeyDown={(event) => event.key === 'Enter' && isName && text !== step.id && onRename(text)}
    >
      <TextField
        label="Step"
        mono
        value={text}
        onChange={(next) => setText(next, step.id)}
        error={isName ? error : 'Lower-case letters, digits and hyphens.'}
        width="170px"
      />
    </div>
  )
}

export function GroupField({ group, onChange }: { group: string; onChange: (id: string) => void }): ReactNode {
  const [text, setText] = useFollowing(group, (id) => id)
  const isName = text === '' || /^[a-z0-9][a-z0-9-]{0,63}$/.test(text)
  return (
    <div onBlur={() => isName && text !== group && onChange(text)}>
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
  const shown = value === undefined ? '' : writeLength(parseDuration(value) ?? 0)
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
        const meant = next.trim() === '' || read === undefined ? undefined : isoDuration(read)
        setText(next, meant === undefined ? '' : writeLength(read as number))
        if (next.trim() === '' || read !== undefined) onChange(meant)
      }}
      error={isFine ? error : 'Write it like 90 s, 5 min or 1 h 30 min.'}
      width="120px"
    />
  )
}
