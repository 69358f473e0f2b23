'use client'
import type { CalendarDate } from '@internationalized/date'
import dynamic from 'next/dynamic'
import { useState, type ReactNode } from 'react'
import { Dialog as AriaDialog, DialogTrigger } from 'react-aria-components'
import { DaysFace } from './days-button'
import { PopoverBox } from './popover'

// Only whoever picks days needs the calendar.
const DaysCalendar = dynamic(() => import('./days-calendar').then((module) => module.DaysCalendar), { ssr: false })

/** Opens a small calendar; two clicks, or arrow keys and Enter, choose the first and the last day. */
export function DaysPopover({ onDays }: { onDays: (first: CalendarDate, last: CalendarDate) => void }): ReactNode {
  const [isOpen, setOpen] = useState(true)
  return (
    <DialogTrigger isOpen={isOpen} onOpenChange={setOpen}>
      <DaysFace />
      <PopoverBox placement="bottom end">
        <AriaDialog aria-label="Choose days" style={{ padding: 10 }}>
          <DaysCalendar
            onDays={(first, last) => {
              setOpen(false)
              onDays(first, last)
            }}
          />
        </AriaDialog>
      </PopoverBox>
    </DialogTrigger>
  )
}
