'use client'
import { memo, type ReactNode } from 'react'
import type { DayRule } from '@/core/calendar/rule'
import { gateOn } from '@/core/flow/edit'
import { PhraseFault } from '@/core/phrase/read'
import { readDaySet } from '@/core/phrase/read-set'
import { sayDays } from '@/core/phrase/say'
import type { FlowDefinition, FlowStep } from '@/core/work/flow'
import type { FlowMaterial } from '@/service/flows'
import { asTyped, typedIn, useFollowing } from '@/ui/hooks/following'
import { Select, TextField } from '@/ui/parts/fields'
import { Stack } from '@/ui/parts/layout'
import { Part, Sentence, Word } from '@/ui/parts/sentence'
import type { SetStep } from './step-fields'

type Gate = NonNullable<FlowStep['gate']>
interface Comparison {
  readonly input: string
  readonly equals?: string | number | boolean
  readonly not?: string | number | boolean
  readonly in?: (string | number)[]
}

/** The condition at the head of a step: days in words, or an input. */
export const GateFields = memo(function GateFields({
  gate: written,
  inputs: all,
  calendars,
  error,
  onSet,
}: {
  gate: FlowStep['gate']
  inputs: FlowDefinition['inputs']
  calendars: FlowMaterial['calendars']
  error: string | undefined
  onSet: SetStep
}): ReactNode {
  const gate = written as ({ days: DayRule } | Comparison) | undefined
  const kind = gate === undefined ? 'none' : 'days' in gate ? 'days' : 'input'
  const inputs = all.filter(({ type }) => type !== 'secret')
  const onChange = (next: Gate | undefined): void => onSet({ gate: next }, 'gate')
  const comparison = kind === 'input' ? (gate as Comparison) : null
  const is = comparison?.not !== undefined ? 'not' : comparison?.in !== undefined ? 'in' : 'equals'
  const values = comparison ? [comparison[is] ?? ''].flat().map(String).join(', ') : ''
  const compare = (name: string, how: 'equals' | 'not' | 'in', text: string): void => {
    const list = text.split(',').map((each) => each.trim())
    onChange((how === 'in' ? { input: name, in: list } : { input: name, [how]: text }) as Gate)
  }
  return (
    <Part aria-label="Gate">
      <h2>Only if</h2>
      <Stack $gap={6}>
        <Sentence>
          <Select
            label="Gate"
            hideLabel
            value={kind}
            onChange={(next) => {
              if (next === 'none') onChange(undefined)
              if (next === 'days') onChange({ days: { weekdays: ['MO', 'TU', 'WE', 'TH', 'FR'] } } as Gate)
              if (next === 'input' && inputs[0]) onChange(gateOn(inputs[0]))
            }}
            choices={[
              { id: 'none', title: 'always' },
              { id: 'days', title: 'the day is one of' },
              ...(inputs.length > 0 ? [{ id: 'input', title: 'the input' }] : []),
            ]}
            width="160px"
          />
          {kind === 'days' && (
            <DaysField
              rule={(gate as { days: DayRule }).days}
              calendars={calendars}
              error={error}
              onChange={(days) => onChange({ days } as Gate)}
            />
          )}
          {comparison && (
            <>
              <Select
                label="Input"
                hideLabel
                value={comparison.input}
                onChange={(name) => compare(name, is, values)}
                choices={inputs.map(({ name, title }) => ({ id: name, title: title || name }))}
                width="150px"
              />
              <Select
                label="Comparison"
                hideLabel
                value={is}
                onChange={(how) => compare(comparison.input, how as 'equals', values)}
                choices={[
                  { id: 'equals', title: 'is' },
                  { id: 'not', title: 'is not' },
                  { id: 'in', title: 'is one of' },
                ]}
                width="100px"
              />
              <TextField
                label="Value"
                hideLabel
                value={values}
                onChange={(text) => compare(comparison.input, is, text)}
                error={error}
                width="180px"
              />
            </>
          )}
          {kind !== 'none' && <Word>else it is skipped and the flow goes on</Word>}
        </Sentence>
      </Stack>
    </Part>
  )
})

function DaysField({
  rule,
  calendars,
  error,
  onChange,
}: {
  rule: DayRule
  calendars: FlowMaterial['calendars']
  error: string | undefined
  onChange: (rule: DayRule) => void
}): ReactNode {
  const names = calendars.map(({ slug, title }) => ({ id: slug, title }))
  const said = (days: DayRule): string => typedIn(days) ?? sayDays(days, names)
  const [text, setText] = useFollowing(said(rule), String)
  const now = readDays(text, names)
  return (
    <TextField
      label="Days, in words"
      hideLabel
      value={text}
      onChange={(next) => {
        const again = readDays(next, names)
        const meant = 'rule' in again ? again.rule : asTyped<DayRule>(next)
        setText(next, said(meant))
        onChange(meant)
      }}
      error={'fault' in now ? now.fault : error}
      width="300px"
    />
  )
}

function readDays(
  text: string,
  names: readonly { readonly id: string; readonly title: string }[],
): { rule: DayRule } | { fault: string } {
  try {
    return { rule: readDaySet(text, names) }
  } catch (problem) {
    if (problem instanceof PhraseFault) return { fault: problem.message }
    throw problem
  }
}
