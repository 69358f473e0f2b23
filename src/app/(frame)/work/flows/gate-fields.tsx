'use client'
import { memo, type ReactNode } from 'react'
import type { DayRule } from '@/core/calendar/rule'
import { gateOn } from '@/core/flow/edit'
import type { Home } from '@/core/phrase/names'
import { PhraseFault } from '@/core/phrase/read'
import { readDaySet } from '@/core/phrase/read-set'
import { sayDays } from '@/core/phrase/say'
import type { FlowDefinition, FlowStep } from '@/core/work/flow'
import type { FlowMaterial } from '@/service/work/flows'
import { useHome } from '@/ui/hooks/me'
import { asTyped, typedIn, useFollowing } from '@/ui/hooks/following'
import { Select } from '@/ui/parts/select'
import { TextField } from '@/ui/parts/fields'
import { Stack } from '@/ui/parts/layout'
import { ListField, partsOf, writtenParts } from '@/ui/parts/list-field'
import { Part, Sentence, Word } from '@/ui/parts/sentence'
import type { FaultOf, SetStep } from './step-fields'

type Gate = NonNullable<FlowStep['gate']>
interface Comparison {
  /** An input of the flow, or what a step handed on, such as `check.count`. */
  readonly input?: string
  readonly value?: string
  readonly equals?: string | number | boolean
  readonly not?: string | number | boolean
  readonly in?: (string | number)[]
}

/** The condition at the head of a step: days in words, or an input. */
export const GateFields = memo(function GateFields({
  gate: written,
  inputs: all,
  before,
  calendars,
  faultOf,
  onSet,
}: {
  gate: FlowStep['gate']
  inputs: FlowDefinition['inputs']
  /** Steps that have ended when this one goes ahead. */
  before: readonly string[]
  calendars: FlowMaterial['calendars']
  faultOf: FaultOf
  onSet: SetStep
}): ReactNode {
  const gate = written as ({ days: DayRule } | Comparison) | undefined
  const kind = gate === undefined ? 'none' : 'days' in gate ? 'days' : gate.value === undefined ? 'input' : 'value'
  const inputs = all.filter(({ type }) => type !== 'secret')
  const onChange = (next: Gate | undefined): void => onSet({ gate: next }, 'gate')
  const comparison = kind === 'input' || kind === 'value' ? (gate as Comparison) : null
  const [step = '', name = ''] = (comparison?.value ?? '').split(/\.(.*)/s)
  const is = comparison?.not !== undefined ? 'not' : comparison?.in !== undefined ? 'in' : 'equals'
  const values = comparison ? writtenParts([comparison[is] ?? ''].flat().map(String)) : ''
  const compare = (what: Pick<Comparison, 'input' | 'value'>, how: 'equals' | 'not' | 'in', text: string): void =>
    onChange({ ...what, [how]: how === 'in' ? partsOf(text) : text } as Gate)
  const what = comparison?.value === undefined ? { input: comparison?.input ?? '' } : { value: comparison.value }
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
              if (next === 'value' && before[0]) onChange({ value: `${before[0]}.`, not: '0' } as Gate)
            }}
            choices={[
              { id: 'none', title: 'always' },
              { id: 'days', title: 'the day is one of' },
              ...(inputs.length > 0 ? [{ id: 'input', title: 'the input' }] : []),
              ...(before.length > 0 || kind === 'value' ? [{ id: 'value', title: 'what a step hands on' }] : []),
            ]}
            width="160px"
          />
          {kind === 'days' && (
            <DaysField
              rule={(gate as { days: DayRule }).days}
              calendars={calendars}
              error={faultOf('gate')}
              onChange={(days) => onChange({ days } as Gate)}
            />
          )}
          {comparison && (
            <>
              {kind === 'input' ? (
                <Select
                  label="Input"
                  hideLabel
                  value={comparison.input ?? null}
                  onChange={(input) => compare({ input }, is, values)}
                  choices={inputs.map(({ name, title }) => ({ id: name, title: title || name }))}
                  width="150px"
                />
              ) : (
                <>
                  <Select
                    label="Step that hands it on"
                    hideLabel
                    value={step}
                    onChange={(next) => compare({ value: `${next}.${name}` }, is, values)}
                    choices={[...new Set([...before, ...(step ? [step] : [])])].map((id) => ({ id, title: id }))}
                    width="150px"
                  />
                  <TextField
                    label="Called"
                    hideLabel
                    placeholder="count"
                    value={name}
                    onChange={(next) => compare({ value: `${step}.${next}` }, is, values)}
                    error={faultOf('gate.value')}
                    width="110px"
                  />
                </>
              )}
              <Select
                label="Comparison"
                hideLabel
                value={is}
                onChange={(how) => compare(what, how as 'equals', values)}
                choices={[
                  { id: 'equals', title: 'is' },
                  { id: 'not', title: 'is not' },
                  { id: 'in', title: 'is one of' },
                ]}
                width="100px"
              />
              {is === 'in' ? (
                <ListField
                  label="Values"
                  hideLabel
                  value={(comparison.in ?? []).map(String)}
                  onChange={(list) => onChange({ ...what, in: list } as Gate)}
                  error={faultOf('gate.in') ?? faultOf('gate')}
                  width="220px"
                />
              ) : (
                <TextField
                  label="Value"
                  hideLabel
                  value={String(comparison[is] ?? '')}
                  onChange={(text) => compare(what, is, text)}
                  error={faultOf(`gate.${is}`) ?? faultOf('gate')}
                  width="180px"
                />
              )}
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
  const home = useHome()
  const now = readDays(text, names, home)
  return (
    <TextField
      label="Days, in words"
      hideLabel
      value={text}
      onChange={(next) => {
        const again = readDays(next, names, home)
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
  home: Home | null,
): { rule: DayRule } | { fault: string } {
  try {
    return { rule: readDaySet(text, names, home) }
  } catch (problem) {
    if (problem instanceof PhraseFault) return { fault: problem.message }
    throw problem
  }
}
