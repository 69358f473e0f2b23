'use client'
import { X } from 'lucide-react'
import { useId, type KeyboardEvent, type ReactNode } from 'react'
import { Dialog as AriaDialog, Heading, Modal, ModalOverlay } from 'react-aria-components'
import styled from 'styled-components'
import { Button } from './button'
import { Row, Small, Spring } from './layout'

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

const Card = styled.section`
  position: absolute;
  inset: 0;
  z-index: 30;
  background: var(--sheet);
  padding: 8px 14px;
  display: flex;
  flex-direction: column;
  gap: 10px;
`

/**
 * A dialog that covers a part of the page, its parent, which must be positioned, and leaves the rest in use. It comes and goes at once, nothing else is drawn for it.
 * Something in it takes the focus, Escape closes it; whoever shows it gives the focus back.
 */
export function Beside({
  title,
  hint,
  onClose,
  children,
}: {
  title: string
  hint: string
  onClose: () => void
  children: ReactNode
}): ReactNode {
  const name = useId()
  const onKeyDown = (event: KeyboardEvent): void => {
    if (event.key !== 'Escape') return
    event.stopPropagation()
    onClose()
  }
  return (
    <Card role="dialog" aria-labelledby={name} onKeyDown={onKeyDown}>
      <Row>
        <h2 id={name}>{title}</h2>
        <Small>{hint}</Small>
        <Spring />
        <Button kind="quiet" aria-label={`Close: ${title}`} onPress={onClose}>
          <X size={15} aria-hidden="true" />
        </Button>
      </Row>
      {children}
    </Card>
  )
}

/** Asks once, saying exactly what will happen. */
export function Confirm({
  title,
  isOpen,
  onClose,
  onConfirm,
  word,
  whyNot,
  children,
}: {
  title: string
  isOpen: boolean
  onClose: () => void
  onConfirm: () => void
  word: string
  /** Set: it cannot be done, and this says why. */
  whyNot?: string | undefined
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
          whyNot={whyNot}
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

/** The end of a form in a dialog: leave it, or do what its last word says. */
export function DialogButtons({ onClose, children }: { onClose: () => void; children: ReactNode }): ReactNode {
  return (
    <Row>
      <Spring />
      <Button onPress={onClose}>Cancel</Button>
      <Button kind="strong" type="submit">
        {children}
      </Button>
    </Row>
  )
}
