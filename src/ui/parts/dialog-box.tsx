'use client'
import type { ReactNode } from 'react'
import { Dialog as AriaDialog, Heading, Modal, ModalOverlay } from 'react-aria-components'
import styled from 'styled-components'

const Overlay = styled(ModalOverlay)`
  position: fixed;
  inset: 0;
  z-index: 50;
  background: rgb(10 19 22 / 45%);
  display: grid;
  place-items: start center;
  padding-top: 9vh;
`
const Box = styled(Modal)`
  width: var(--dialog-width, 520px);
  max-width: calc(100vw - 32px);
  max-height: 82vh;
  overflow: auto;
  background: var(--sheet);
  border: 1px solid var(--line-strong);
  border-radius: 4px;
`
const Inside = styled(AriaDialog)`
  padding: 16px 18px;
  display: flex;
  flex-direction: column;
  gap: 12px;
  outline: none;
  h2 {
    font:
      620 17px/22px 'Archivo Variable',
      sans-serif;
  }
`

export interface DialogProps {
  readonly title: string
  readonly isOpen: boolean
  readonly onClose: () => void
  readonly width?: number
  readonly children: ReactNode
}

/** The dialog itself: in front of the page, which does not answer meanwhile. */
export function DialogBox({ title, isOpen, onClose, width = 520, children }: DialogProps): ReactNode {
  return (
    <Overlay isOpen={isOpen} onOpenChange={(open) => !open && onClose()} isDismissable>
      <Box style={{ '--dialog-width': `${width}px` } as React.CSSProperties}>
        <Inside>
          <Heading slot="title" level={2}>
            {title}
          </Heading>
          {children}
        </Inside>
      </Box>
    </Overlay>
  )
}
