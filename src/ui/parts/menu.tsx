'use client'
import type { ReactElement, ReactNode } from 'react'
import { Menu, MenuItem, MenuTrigger } from 'react-aria-components'
import styled from 'styled-components'
import { PopoverBox } from './popover'

const Item = styled(MenuItem)`
  padding: 5px 10px;
  border-radius: 2px;
  cursor: pointer;
  min-width: 170px;
  &[data-focused] {
    background: var(--shelf);
  }
`

export interface MenuChoice {
  readonly id: string
  readonly title: ReactNode
}

/** A button that opens a list of things to do. */
export function ActionMenu({
  button,
  items,
  onAction,
  isFirstOpen = false,
}: {
  button: ReactElement
  items: readonly MenuChoice[]
  onAction: (id: string) => void
  /** It came because it was pressed. */
  isFirstOpen?: boolean
}): ReactNode {
  return (
    <MenuTrigger defaultOpen={isFirstOpen}>
      {button}
      <PopoverBox placement="bottom end">
        <Menu onAction={(key) => onAction(String(key))}>
          {items.map(({ id, title }) => (
            <Item key={id} id={id}>
              {title}
            </Item>
          ))}
        </Menu>
      </PopoverBox>
    </MenuTrigger>
  )
}
