'use client'
import type { CalendarDate } from '@internationalized/date'
import dynamic from 'next/dynamic'
import { CalendarDays } from 'lucide-react'
import { useState, type ReactNode } from 'react'
import { Dialog as AriaDialog, DialogTrigger, Button as AriaButton } from 'react-aria-components'
import { PopoverBox } from './fields'

// Only whoever picks days needs the calendar.
const DaysCalendar = dynamic(() => import('./days-calendar').then((module) => module.DaysCalendar), { ssr: false })

/** Opens a small calendar; two clicks, or arrow keys and Enter, choose the first and the last day. */
export function DaysButton({ onDays }: { onDays: (first: CalendarDate, last: CalendarDate) => void }): ReactNode {
  const [isOpen, setOpen] = useState(false)
  return (
    <DialogTrigger isOpen={isOpen} onOpenChange={setOpen}>
      <AriaButton
        aria-label="Choose days"
        style={{ border: 0, background: 'transparent', width: 26, height: 24, cursor: 'pointer', color: 'var(--mute)' }}
      >
        <CalendarDays size={15} aria-hidden="true" />
      </AriaButton>
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
