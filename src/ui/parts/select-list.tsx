'use client'
import type { ReactNode, RefObject } from 'react'
import { ListBox, ListBoxItem } from 'react-aria-components'
import styled from 'styled-components'
import { PopoverBox } from './popover'

export interface Choice {
  readonly id: string
  readonly title: string
}

const Option = styled(ListBoxItem)`
  padding: 4px 8px;
  border-radius: 2px;
  cursor: default;
  &[data-focused],
  &[data-hovered] {
    background: var(--shelf);
  }
  &[data-selected] {
    font-weight: 600;
    box-shadow: inset 3px 0 var(--brass);
  }
`

/** What has the focus in it is marked; the list itself needs no line around it. */
const List = styled(ListBox)`
  outline: none;
` as typeof ListBox

/** What opens at a field with choices. */
export function SelectList({
  label,
  button,
  choices,
  value,
  onChoose,
  onClose,
}: {
  label: string
  button: RefObject<HTMLButtonElement | null>
  choices: readonly Choice[]
  value: string | null
  onChoose: (id: string) => void
  onClose: () => void
}): ReactNode {
  return (
    <PopoverBox
      triggerRef={button}
      isOpen
      onOpenChange={(isOpen) => !isOpen && onClose()}
      aria-label={label}
      style={{ minWidth: button.current?.offsetWidth }}
    >
      <List
        aria-label={label}
        autoFocus={value === null ? 'first' : true}
        selectionMode="single"
        disallowEmptySelection
        selectedKeys={value === null ? [] : [value]}
        onSelectionChange={(keys) => {
          const [key] = keys as Set<string>
          if (key !== undefined) onChoose(key)
        }}
        // Taking what is taken already closes the list too.
        {...{ allowDuplicateSelectionEvents: true }}
      >
        {choices.map(({ id, title }) => (
          <Option key={id} id={id} textValue={title}>
            {title}
          </Option>
        ))}
      </List>
    </PopoverBox>
  )
}
