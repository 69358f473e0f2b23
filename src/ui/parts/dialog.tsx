'use client'
import { X } from 'lucide-react'
import { useEffect, useId, type KeyboardEvent, type ReactNode } from 'react'
import styled from 'styled-components'
import { useOnDemand } from '../hooks/on-demand'
import { Button } from './button'
import type { DialogBox, DialogProps } from './dialog-box'
import { Row, Small, Spring } from './layout'

let box: typeof DialogBox | null = null

/** Dialogs come when the first one is opened: they bring along a tenth of what a page takes. */
export const fetchDialogs = async (): Promise<typeof DialogBox> => (box ??= (await import('./dialog-box')).DialogBox)

export function Dialog(props: DialogProps): ReactNode {
  const [Box, want] = useOnDemand(fetchDialogs, box)
  const { isOpen } = props
  useEffect(() => {
    if (isOpen) want()
  }, [isOpen, want])
  return Box && <Box {...props} />
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
  isGentle = false,
  children,
}: {
  title: string
  isOpen: boolean
  onClose: () => void
  onConfirm: () => void
  word: string
  /** Set: it cannot be done, and this says why. */
  whyNot?: string | undefined
  /** Nothing is ended or taken away by it. */
  isGentle?: boolean
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
          kind={isGentle ? 'strong' : 'danger'}
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
