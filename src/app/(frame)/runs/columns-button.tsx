'use client'
import { useState, type ReactNode } from 'react'
import { Button } from '@/ui/parts/button'
import type { ColumnsPopover } from './columns-popover'

export interface ColumnsProps {
  readonly columns: readonly { readonly id: string; readonly title: string }[]
  readonly hidden: ReadonlySet<string>
  readonly onToggle: (id: string, on: boolean) => void
}

/** Which columns are shown; what opens comes when it is wanted. */
export function ColumnsButton(props: ColumnsProps): ReactNode {
  const [Popover, setPopover] = useState<typeof ColumnsPopover | null>(null)
  if (Popover) return <Popover {...props} />
  return (
    <Button onPress={() => void import('./columns-popover').then((module) => setPopover(() => module.ColumnsPopover))}>
      Columns
    </Button>
  )
}
