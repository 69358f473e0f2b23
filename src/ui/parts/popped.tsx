'use client'
import type { ReactNode, RefObject } from 'react'
import { Dialog, Popover } from 'react-aria-components'
import styled from 'styled-components'

const Box = styled(Popover)`
  border: 1px solid var(--line-strong);
  border-radius: 3px;
  background: var(--sheet);
  padding: 12px;
`

/** A small dialog that opens below a button, over the page. It is heavy: whoever shows it fetches it with what is in it, once it is wanted. */
export function Popped({
  label,
  button,
  width,
  placement = 'bottom start',
  onClose,
  children,
}: {
  label: string
  button: RefObject<HTMLButtonElement | null>
  /** px */
  width?: number
  placement?: 'bottom start' | 'bottom end'
  onClose: () => void
  children: ReactNode
}): ReactNode {
  return (
    <Box
      triggerRef={button}
      isOpen
      onOpenChange={(isOpen) => !isOpen && onClose()}
      placement={placement}
      style={width === undefined ? {} : { width }}
    >
      <Dialog aria-label={label} style={{ outline: 'none' }}>
        {children}
      </Dialog>
    </Box>
  )
}
