'use client'
import { Activity, useCallback, useImperativeHandle, useRef, useState, type ReactNode, type Ref } from 'react'
import { AddStep, type Adding } from './add-step'
import { SetGate, type Gating } from './set-gate'

export interface PaletteHandle {
  readonly open: (which: 'step' | 'gate') => void
}

/**
 * What can be put into the picture, beside it. Opens by its handle, so that nothing around it is drawn again for that. Both lists are built ahead, out of sight, while
 * the page has nothing else to do: to open one is only to show it.
 */
export function Palette({
  handle,
  material,
  definition,
  chosen,
  onAdd,
  onGate,
}: Adding & Gating & { handle: Ref<PaletteHandle> }): ReactNode {
  const [which, setWhich] = useState<'step' | 'gate' | null>(null)
  const before = useRef<Element | null>(null)
  useImperativeHandle(
    handle,
    () => ({
      open: (list) => {
        before.current = document.activeElement
        setWhich(list)
      },
    }),
    [],
  )
  const shown = (list: 'step' | 'gate'): 'visible' | 'hidden' => (which === list ? 'visible' : 'hidden')
  const onClose = useCallback((): void => {
    // The focus goes back to where it came from.
    if (before.current instanceof HTMLElement) before.current.focus()
    setWhich(null)
  }, [])
  return (
    <>
      <Activity mode={shown('step')}>
        <AddStep material={material} chosen={chosen} onAdd={onAdd} onClose={onClose} />
      </Activity>
      <Activity mode={shown('gate')}>
        <SetGate material={material} definition={definition} chosen={chosen} onGate={onGate} onClose={onClose} />
      </Activity>
    </>
  )
}
