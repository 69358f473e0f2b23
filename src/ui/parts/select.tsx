'use client'
import { ChevronDown } from 'lucide-react'
import { useState, type ReactNode } from 'react'
import { Button, Label, ListBox, ListBoxItem, Select as AriaSelect, SelectValue } from 'react-aria-components'
import styled from 'styled-components'
import { Button as PressButton } from './button'
import { box, Fault, Group } from './field-look'
import { PopoverBox } from './popover'
import { Said, useReading } from './reading'

const SelectButton = styled(Button)`
  ${box}
  display: flex;
  align-items: center;
  justify-content: space-between;
  gap: 6px;
  text-align: left;
  cursor: pointer;
`
export const Option = styled(ListBoxItem)`
  padding: 4px 8px;
  border-radius: 2px;
  cursor: default;
  &[data-focused] {
    background: var(--shelf);
  }
  &[data-selected] {
    font-weight: 600;
    box-shadow: inset 3px 0 var(--brass);
  }
`

export interface Choice {
  readonly id: string
  readonly title: string
}

/** Beyond this many, choices that nobody sees are not made: a flow has hundreds of steps, and a form several fields to choose one in. */
const MOST_MADE_UNSEEN = 60

export function Select({
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
  onChange: (value: string) => void
  choices: readonly Choice[]
  error?: string | undefined
  hideLabel?: boolean
  width?: string
  placeholder?: string
  isDisabled?: boolean
  /** Set: nothing can be chosen, and this says why. */
  whyNot?: string | undefined
}): ReactNode {
  const [isOpen, setOpen] = useState(false)
  const isRead = useReading()
  if (isRead)
    return (
      <Said label={label} hideLabel={hideLabel}>
        {choices.find(({ id }) => id === value)?.title ?? ''}
      </Said>
    )
  const isMade = isOpen || choices.length <= MOST_MADE_UNSEEN
  const taken = choices.find(({ id }) => id === value) ?? choices[0]
  // Never none at all: what has no choice does not open.
  const made = isMade || !taken ? choices : [taken]
  if (whyNot !== undefined)
    return (
      <PressButton whyNot={whyNot} aria-label={label}>
        {choices.find(({ id }) => id === value)?.title ?? placeholder}
        <ChevronDown size={14} aria-hidden="true" />
      </PressButton>
    )
  return (
    <AriaSelect
      isOpen={isOpen}
      onOpenChange={setOpen}
      validationBehavior="aria"
      value={value}
      onChange={(key) => key !== null && onChange(String(key))}
      isInvalid={error !== undefined}
      isDisabled={isDisabled}
      aria-label={hideLabel ? label : undefined!}
      placeholder={placeholder}
      style={width ? { width } : {}}
    >
      <Group>
        {!hideLabel && <Label>{label}</Label>}
        <SelectButton>
          <SelectValue />
          <ChevronDown size={14} aria-hidden="true" />
        </SelectButton>
        <Fault>{error}</Fault>
      </Group>
      <PopoverBox>
        <ListBox>
          {made.map((choice) => (
            <Option key={choice.id} id={choice.id} textValue={choice.title}>
              {choice.title}
            </Option>
          ))}
        </ListBox>
      </PopoverBox>
    </AriaSelect>
  )
}
