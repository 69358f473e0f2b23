'use client'
import { useImperativeHandle, useState, type ReactNode, type Ref } from 'react'
import { AddStep, type Adding } from './add-step'
import { SetGate, type Gating } from './set-gate'

export interface PaletteHandle {
  readonly open: (which: 'step' | 'gate') => void
}

/** What can be put into the picture, beside it. Opens by its handle, so that nothing around it is drawn again for that. */
export function Palette({ handle, ...props }: Adding & Gating & { handle: Ref<PaletteHandle> }): ReactNode {
  const [which, setWhich] = useState<'step' | 'gate' | null>(null)
  useImperativeHandle(handle, () => ({ open: setWhich }), [])
  const onClose = (): void => setWhich(null)
  if (which === 'step') return <AddStep {...props} onClose={onClose} />
  return which === 'gate' && <SetGate {...props} onClose={onClose} />
}
