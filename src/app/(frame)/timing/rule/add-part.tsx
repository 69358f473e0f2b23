'use client'
import type { ReactNode } from 'react'
import type { AddPartBox, AddPartProps } from './add-part-box'
import { usePopped } from '@/ui/hooks/popped'
import { Button } from '@/ui/parts/button'
import { useReading } from '@/ui/parts/reading'

const load = (): Promise<typeof AddPartBox> => import('./add-part-box').then((module) => module.AddPartBox)

/** A button that asks for days: in words, or by their kind. What opens comes when it is wanted. */
export function AddPart(props: AddPartProps): ReactNode {
  const { opener, part: Box, close } = usePopped(load)
  if (useReading()) return null
  return (
    <>
      <Button {...opener}>{props.label}</Button>
      {Box && <Box {...props} button={opener.ref} onClose={close} />}
    </>
  )
}
