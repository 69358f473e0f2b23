'use client'
import dynamic from 'next/dynamic'
import { useState, type ReactNode } from 'react'
import { Dialog as AriaDialog, DialogTrigger } from 'react-aria-components'
import { useMe } from '../hooks/me'
import { daysOf } from '../stretch'
import type { Stretch } from '../stretch-names'
import { DaysFace } from './days-face'
import { PopoverBox } from './popover'

// Only whoever picks days needs the calendar.
const DaysCalendar = dynamic(() => import('./days-calendar').then((module) => module.DaysCalendar), { ssr: false })

/** Opens a small calendar; two clicks, or arrow keys and Enter, choose the first and the last day, which is meant whole. */
export function DaysPopover({ onDays }: { onDays: (days: Required<Stretch>) => void }): ReactNode {
  const { zone } = useMe()
  const [isOpen, setOpen] = useState(true)
  return (
    <DialogTrigger isOpen={isOpen} onOpenChange={setOpen}>
      <DaysFace />
      <PopoverBox placement="bottom end">
        <AriaDialog aria-label="Choose days" style={{ padding: 10 }}>
          <DaysCalendar
            onDays={(first, last) => {
              setOpen(false)
              onDays(daysOf(first, last, zone))
            }}
          />
        </AriaDialog>
      </PopoverBox>
    </DialogTrigger>
  )
}
