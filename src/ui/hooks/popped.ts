'use client'
import { useRef, useState, type RefObject } from 'react'
import { useOnDemand } from './on-demand'

/** What a button is given that opens something which comes when it is first reached for. */
export interface Opener {
  readonly ref: RefObject<HTMLButtonElement | null>
  readonly 'aria-haspopup': 'dialog'
  readonly 'aria-expanded': boolean
  readonly onHoverStart: () => void
  readonly onPress: () => void
}

/** A button and what it opens (`ui/parts/popped.tsx`): fetched once it is wanted. `part`: what is to be drawn; null: it is closed, or on its way. */
export function usePopped<T>(load: () => Promise<T>): {
  readonly opener: Opener
  readonly part: T | null
  readonly close: () => void
} {
  const [part, want] = useOnDemand(load)
  const [isOpen, setOpen] = useState(false)
  const ref = useRef<HTMLButtonElement>(null)
  const open = (): void => {
    want()
    setOpen(true)
  }
  return {
    opener: { ref, 'aria-haspopup': 'dialog', 'aria-expanded': isOpen, onHoverStart: want, onPress: open },
    part: isOpen ? part : null,
    close: () => setOpen(false),
  }
}
