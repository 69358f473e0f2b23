'use client'
import { useRef, type ReactNode } from 'react'
import { referencesInSingleQuotes } from '@/core/work/command'
import { ACCOUNT_USE, CONNECTION_KINDS, isConnection } from '@/core/work/connections'
import { INTERPRETERS, type Interpreter, type JobDefinition, type Pattern } from '@/core/work/job'
import { faultIn } from '@/ui/hooks/draft'
import { asTyped } from '@/ui/hooks/following'
import { Checkbox, TextField } from '@/ui/parts/fields'
import { Select } from '@/ui/parts/select'
import { Small, Stack } from '@/ui/parts/layout'
import { ListField } from '@/ui/parts/list-field'
import { NumberField } from '@/ui/parts/number-field'
import { Part, Sentence, Word } from '@/ui/parts/sentence'
import type { SectionProps } from './section-props'
import { CodeField } from '@/app/shared/work/code-field'
import { ConnectionFields } from '@/app/shared/work/connection-fields'
import { BLANK, CONNECTION_TITLES, HANDED_ON } from '@/app/shared/work/connections/kinds'
import { PairsField } from '@/app/shared/work/pairs-field'

const KINDS = [
  { id: 'command', title: 'a command line' },
  { id: 'script', title: 'a script' },
  { id: 'wait', title: 'wait' },
  ...CONNECTION_KINDS.map((id) => ({ id, title: CONNECTION_TITLES[id] })),
]

export function WhatSection({ definition, define, faultOf }: SectionProps): ReactNode {
  const { action } = definition
  const names = new Set(definition.inputs.map((input) => input.name))
  const text = action.kind === 'command' ? action.command : action.kind === 'script' ? action.script : ''
  const unread = referencesInSingleQuotes(text, names)
  // What was written for one kind is there again when it is chosen again.
  const kept = useRef(new Map<string, JobDefinition['action']>())
  const setKind = (kind: string): void => {
    kept.current.set(action.kind, action)
    const before = kept.current.get(kind)
    if (before && isConnection(before)) return define({ action: before })
    if (kind === 'command') define({ action: { kind, command: text } })
    if (kind === 'script') define({ action: { kind, interpreter: 'sh', script: text } })
    if (kind === 'wait') define({ action: { kind, minutes: 1 }, account: null })
    const connection = CONNECTION_KINDS.find((each) => each === kind)
    if (connection)
      define({
        action: BLANK[connection],
        ...(ACCOUNT_USE[connection] === 'none' ? { account: null } : {}),
      })
  }
  return (
    <Part aria-label="What">
      <h2>What</h2>
      <Stack>
        <Sentence>
          <Word>Run</Word>
          <Select label="Kind" hideLabel value={action.kind} onChange={setKind} choices={KINDS} width="200px" />
          {action.kind === 'script' && (
            <>
              <Word>with</Word>
              <Select
                label="Interpreter"
                hideLabel
                value={action.interpreter}
                onChange={(interpreter) => define({ action: { ...action, interpreter: interpreter as Interpreter } })}
                choices={INTERPRETERS.map((i) => ({ id: i, title: i }))}
                width="120px"
              />
            </>
          )}
          {action.kind === 'wait' && (
            <>
              <Word>for</Word>
              <TextField
                label="Minutes"
                hideLabel
                value={String(action.minutes)}
                onChange={(value) =>
                  define({ action: { kind: 'wait', minutes: /^\d+(\.\d+)?$/.test(value) ? Number(value) : value } })
                }
                error={faultOf('definition.action.minutes')}
                width="120px"
              />
              <Word>minutes, or ${'{name}'} of a number input.</Word>
            </>
          )}
        </Sentence>
        {action.kind === 'command' && (
          <CodeField
            label="Command line"
            value={action.command}
            onChange={(command) => define({ action: { kind: 'command', command } })}
            language="sh"
            error={faultOf('definition.action.command')}
            minHeight="46px"
          />
        )}
        {action.kind === 'script' && (
          <CodeField
            label="Script"
            value={action.script}
            onChange={(script) => define({ action: { ...action, script } })}
            language={action.interpreter}
            error={faultOf('definition.action.script')}
          />
        )}
        {isConnection(action) && (
          <>
            <ConnectionFields action={action} onChange={(next) => define({ action: next })} faultOf={faultOf} />
            {HANDED_ON[action.kind] && <Small>It hands on to later steps: {HANDED_ON[action.kind]}.</Small>}
            {names.size > 0 && action.kind !== 'ssh' && (
              <Small>
                {[...names].map((name) => `\${${name}}`).join(', ')} can stand in every field but a statement, where it
                is a parameter.
              </Small>
            )}
          </>
        )}
        {!isConnection(action) && action.kind !== 'wait' && names.size > 0 && (
          <Small>
            Inputs are environment variables: {[...names].map((name) => `\${${name}}`).join(', ')}. In a command or
            shell script they are quoted for you and never read as code.
            {unread.length > 0 && ` ${unread.join(', ')} stands in single quotes, where the shell leaves it as it is.`}
          </Small>
        )}
        {!isConnection(action) && (
          <Sentence>
            <Word $labelled>In</Word>
            <TextField
              label="folder (the account’s home if empty)"
              value={definition.folder ?? ''}
              onChange={(folder) => define({ folder: folder === '' ? null : folder })}
              error={faultOf('definition.folder')}
              mono
              width="300px"
            />
            <Word $labelled>with</Word>
            <PairsField
              label="environment, one NAME=value a line"
              value={definition.environment}
              onChange={(environment) => define({ environment })}
              error={faultIn(faultOf, 'definition.environment', definition.environment)}
            />
          </Sentence>
        )}
      </Stack>
    </Part>
  )
}

export function EndingSection({ definition, define, faultOf }: SectionProps): ReactNode {
  const { success, keeping } = definition
  const limit = definition.timeLimitSeconds
  const { action } = definition
  // What talks to others has none, but for the command of another machine.
  const hasExitCode = action.kind === 'ssh' || !isConnection(action)
  return (
    <>
      <Part aria-label="Success">
        <h2>It succeeded if</h2>
        <Stack>
          {hasExitCode ? (
            <Sentence>
              <Word>its exit code is</Word>
              <ListField
                label="Exit codes, comma between"
                hideLabel
                value={success.exitCodes.map(String)}
                onChange={(codes) =>
                  define({
                    success: {
                      ...success,
                      exitCodes: codes.map((code) => (/^-?\d+$/.test(code) ? Number(code) : asTyped<number>(code))),
                    },
                  })
                }
                error={faultIn(faultOf, 'definition.success.exitCodes', success.exitCodes)}
                width="120px"
              />
            </Sentence>
          ) : (
            <Sentence>
              <Word>it comes through as said above</Word>
            </Sentence>
          )}
          <PatternField
            word="and its output has"
            value={success.must}
            onChange={(must) => define({ success: { ...success, must } })}
            error={faultOf('definition.success.must.text')}
          />
          <PatternField
            word="and its output never has"
            value={success.mustNot}
            onChange={(mustNot) => define({ success: { ...success, mustNot } })}
            error={faultOf('definition.success.mustNot.text')}
          />
        </Stack>
      </Part>
      <Part aria-label="If it fails">
        <h2>If not</h2>
        <Stack>
          <Sentence>
            <Word>try again up to</Word>
            <NumberField
              label="Retries"
              value={definition.retries}
              onChange={(retries) => define({ retries })}
              error={faultOf('definition.retries')}
            />
            <Word>times, each after</Word>
            <NumberField
              label="Delay in seconds"
              value={definition.retryDelaySeconds}
              onChange={(retryDelaySeconds) => define({ retryDelaySeconds })}
              error={faultOf('definition.retryDelaySeconds')}
              width="76px"
            />
            <Word>seconds.</Word>
            <Checkbox isSelected={limit !== null} onChange={(on) => define({ timeLimitSeconds: on ? 3600 : null })}>
              Stop each try after
            </Checkbox>
            {limit !== null && (
              <>
                <NumberField
                  label="Time limit in seconds"
                  value={limit}
                  onChange={(timeLimitSeconds) => define({ timeLimitSeconds })}
                  error={faultOf('definition.timeLimitSeconds')}
                  width="84px"
                />
                <Word>seconds.</Word>
              </>
            )}
          </Sentence>
          {!isConnection(action) && action.kind !== 'wait' && (
            <Checkbox isSelected={definition.mayLeave} onChange={(mayLeave) => define({ mayLeave })}>
              What it leaves running when it ends may go on; else it is ended with it
            </Checkbox>
          )}
        </Stack>
      </Part>
      <Part aria-label="Keeping">
        <h2>Keep</h2>
        <Sentence>
          <Word>finished runs on the board</Word>
          <Select
            label="On the board"
            hideLabel
            value={keeping.board}
            onChange={(board) => define({ keeping: { ...keeping, board: board as typeof keeping.board } })}
            choices={[
              { id: 'after-hours', title: 'for some hours' },
              { id: 'on-success', title: 'until they succeed' },
              { id: 'at-once', title: 'not at all' },
              { id: 'by-hand', title: 'until cleared by hand' },
            ]}
            width="180px"
          />
          {keeping.board === 'after-hours' && (
            <>
              <NumberField
                label="Hours on the board"
                value={keeping.boardHours}
                onChange={(boardHours) => define({ keeping: { ...keeping, boardHours } })}
                error={faultOf('definition.keeping.boardHours')}
              />
              <Word>hours;</Word>
            </>
          )}
          <Word>their history for</Word>
          <NumberField
            label="Days of history"
            value={keeping.historyDays}
            onChange={(historyDays) => define({ keeping: { ...keeping, historyDays } })}
            error={faultOf('definition.keeping.historyDays')}
          />
          <Word>days, their output for</Word>
          <NumberField
            label="Days of output"
            value={keeping.outputDays}
            onChange={(outputDays) => define({ keeping: { ...keeping, outputDays } })}
            error={faultOf('definition.keeping.outputDays')}
          />
          <Word>days.</Word>
        </Sentence>
      </Part>
    </>
  )
}

function PatternField({
  word,
  value,
  onChange,
  error,
}: {
  word: string
  value: Pattern | null
  onChange: (value: Pattern | null) => void
  error: string | undefined
}): ReactNode {
  return (
    <Sentence>
      <Checkbox isSelected={value !== null} onChange={(on) => onChange(on ? { text: '', regex: false } : null)}>
        {word}
      </Checkbox>
      {value && (
        <>
          <TextField
            label={word}
            hideLabel
            value={value.text}
            onChange={(text) => onChange({ ...value, text })}
            error={error}
            mono
            width="280px"
          />
          <Checkbox isSelected={value.regex} onChange={(regex) => onChange({ ...value, regex })}>
            as a regular expression, line by line
          </Checkbox>
        </>
      )}
    </Sentence>
  )
}
