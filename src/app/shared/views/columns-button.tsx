'use client'
import type { ReactNode } from 'react'
import { useOnDemand } from '@/ui/hooks/on-demand'
import { Button } from '@/ui/parts/button'
import type { ColumnsProps } from './columns-popover'

/** Which columns are shown, in which order; what opens comes when it is wanted. */
export function ColumnsButton(props: ColumnsProps): ReactNode {
  const [Popover, open] = useOnDemand(() => import('./columns-popover').then((module) => module.ColumnsPopover))
  if (Popover) return <Popover {...props} />
  return <Button onPress={open}>Columns</Button>
}
