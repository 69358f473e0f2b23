'use client'
import type { ReactNode } from 'react'
import { Dialog as AriaDialog, DialogTrigger } from 'react-aria-components'
import { Button } from '@/ui/parts/button'
import { Checkbox } from '@/ui/parts/fields'
import { Stack } from '@/ui/parts/layout'
import { PopoverBox } from '@/ui/parts/popover'

export interface ColumnsProps {
  readonly columns: readonly { readonly id: string; readonly title: string }[]
  readonly hidden: ReadonlySet<string>
  readonly onToggle: (id: string, on: boolean) => void
}

/** A list of columns to tick, open from the beginning. */
export function ColumnsPopover({ columns, hidden, onToggle }: ColumnsProps): ReactNode {
  return (
    <DialogTrigger defaultOpen>
      <Button>Columns</Button>
      <PopoverBox>
        <AriaDialog aria-label="Columns" style={{ padding: 8 }}>
          <Stack $gap={0}>
            {columns.map((column) => (
              <Checkbox key={column.id} isSelected={!hidden.has(column.id)} onChange={(on) => onToggle(column.id, on)}>
                {column.title}
              </Checkbox>
            ))}
          </Stack>
        </AriaDialog>
      </PopoverBox>
    </DialogTrigger>
  )
}
