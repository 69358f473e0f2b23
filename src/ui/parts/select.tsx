'use client'
import { ChevronDown } from 'lucide-react'
import { useId, useRef, useState, type KeyboardEvent, type ReactNode } from 'react'
import { Button } from 'react-aria-components'
import styled from 'styled-components'
import { useOnDemand } from '../hooks/on-demand'
import { Button as PressButton } from './button'
import { box, Group } from './field-look'
import { Said, useReading } from './reading'
import type { Choice, SelectList } from './select-list'

const SelectButton = styled(Button)`
  ${box}
  display: flex;
  align-items: center;
  justify-content: space-between;
  gap: 6px;
  text-align: left;
  cursor: pointer;
`
const Label = styled.span`
  font-size: 12px;
  line-height: 16px;
  color: var(--mute);
  cursor: default;
`
const Fault = styled.span`
  font-size: 12px;
  line-height: 16px;
  color: var(--failed);
`

export type { Choice }

let list: typeof SelectList | null = null
/** The list comes once somebody turns to a field with choices: it brings along what a third of a page takes. */
const fetchList = async (): Promise<typeof SelectList> => (list ??= (await import('./select-list')).SelectList)

/** Letters typed within this time belong together, ms. */
const TYPING_MS = 700

/** What a key does to a closed field: the choice that it goes to; undefined: nothing. Letters find the next title that begins with what was typed. */
function goneTo<C extends Choice>(
  key: string,
  typed: string,
  choices: readonly C[],
  value: string | null,
): C | undefined {
  const at = choices.findIndex(({ id }) => id === value)
  if (key === 'ArrowLeft') return choices[at - 1]
  if (key === 'ArrowRight') return choices[at + 1]
  const begins = ({ title }: Choice): boolean => title.toLowerCase().startsWith(typed)
  // One letter goes on to the next, several stay where they fit.
  const from = typed.length === 1 ? at + 1 : Math.max(0, at)
  return [...choices.slice(from), ...choices.slice(0, from)].find(begins)
}

export function Select<Id extends string>({
  label,
  value,
  onChange,
  choices,
  error,
  hideLabel,
  width,
  placeholder = 'Choose',
  isDisabled = false,
  whyNot,
}: {
  label: string
  value: string | null
  onChange: (id: Id) => void
  choices: readonly (Choice & { readonly id: Id })[]
  error?: string | undefined
  hideLabel?: boolean
  width?: string
  placeholder?: string
  isDisabled?: boolean
  /** Set: nothing can be chosen, and this says why. */
  whyNot?: string | undefined
}): ReactNode {
  const [List, want] = useOnDemand(fetchList, list)
  const [isWanted, setWanted] = useState(false)
  // Never none at all: what has no choice yet opens when it has.
  const isOpen = isWanted && choices.length > 0
  const button = useRef<HTMLButtonElement>(null)
  const typed = useRef({ text: '', atMs: 0 })
  const id = useId()
  const title = choices.find((choice) => choice.id === value)?.title
  if (useReading())
    return (
      <Said label={label} hideLabel={hideLabel}>
        {title ?? ''}
      </Said>
    )
  if (whyNot !== undefined)
    return (
      <PressButton whyNot={whyNot} aria-label={label}>
        {title ?? placeholder}
        <ChevronDown size={14} aria-hidden="true" />
      </PressButton>
    )
  const open = (): void => {
    want()
    setWanted(true)
  }
  const onKeyDown = (event: KeyboardEvent): void => {
    const { key, ctrlKey, metaKey, altKey } = event
    if (key === 'ArrowDown' || key === 'ArrowUp') {
      event.preventDefault()
      return open()
    }
    const isLetter = key.length === 1 && key !== ' ' && !ctrlKey && !metaKey && !altKey
    if (!isLetter && key !== 'ArrowLeft' && key !== 'ArrowRight') return
    const { text, atMs } = typed.current
    const goesOn = isLetter && event.timeStamp - atMs < TYPING_MS
    typed.current = { text: isLetter ? (goesOn ? text : '') + key.toLowerCase() : '', atMs: event.timeStamp }
    const next = goneTo(key, typed.current.text, choices, value)
    if (next && next.id !== value) onChange(next.id)
  }
  return (
    <Group style={width ? { width } : {}}>
      {!hideLabel && (
        <Label id={`${id}label`} onClick={() => button.current?.focus()}>
          {label}
        </Label>
      )}
      <SelectButton
        ref={button}
        id={`${id}button`}
        {...(hideLabel ? { 'aria-label': label } : {})}
        aria-labelledby={`${id}value ${id}${hideLabel ? 'button' : 'label'}`}
        aria-haspopup="listbox"
        aria-expanded={isOpen}
        {...(error === undefined ? {} : { 'aria-describedby': `${id}fault`, 'data-invalid': true })}
        isDisabled={isDisabled}
        onHoverStart={want}
        onFocus={want}
        onBlur={() => {
          if (!isOpen) setWanted(false)
        }}
        onPress={open}
        onKeyDown={onKeyDown}
      >
        <span id={`${id}value`}>{title ?? placeholder}</span>
        <ChevronDown size={14} aria-hidden="true" />
      </SelectButton>
      {error !== undefined && <Fault id={`${id}fault`}>{error}</Fault>}
      {isOpen && List && (
        <List
          label={label}
          button={button}
          choices={choices}
          value={value}
          onChoose={(chosen) => {
            setWanted(false)
            onChange(chosen as Id)
          }}
          onClose={() => setWanted(false)}
        />
      )}
    </Group>
  )
}
