'use client'
import type { ReactNode } from 'react'
import { Dialog as AriaDialog, Heading, Modal, ModalOverlay } from 'react-aria-components'
import styled from 'styled-components'
import { Button } from './button'
import { Row, Spring } from './layout'

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

export function Dialog({
  title,
  isOpen,
  onClose,
  width = 520,
  children,
}: {
  title: string
  isOpen: boolean
  onClose: () => void
  width?: number
  children: ReactNode
}): ReactNode {
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

/** Asks once, saying exactly what will happen. */
export function Confirm({
  title,
  isOpen,
  onClose,
  onConfirm,
  word,
  children,
}: {
  title: string
  isOpen: boolean
  onClose: () => void
  onConfirm: () => void
  word: string
  children: ReactNode
}): ReactNode {
  return (
    <Dialog title={title} isOpen={isOpen} onClose={onClose} width={440}>
      <div>{children}</div>
      <Row>
        <Spring />
        <Button onPress={onClose} autoFocus>
          Leave it
        </Button>
        <Button
          kind="danger"
          onPress={() => {
            onConfirm()
            onClose()
          }}
        >
          {word}
        </Button>
      </Row>
    </Dialog>
  )
}
