'use client'
import type { CalendarDate } from '@internationalized/date'
import { CalendarDays } from 'lucide-react'
import { useState, type ReactNode } from 'react'
import { Button as AriaButton } from 'react-aria-components'
import type { DaysPopover } from './days-popover'

export function DaysFace({ onPress }: { onPress?: () => void }): ReactNode {
  return (
    <AriaButton
      aria-label="Choose days"
      {...(onPress ? { onPress } : {})}
      style={{ border: 0, background: 'transparent', width: 26, height: 24, cursor: 'pointer', color: 'var(--mute)' }}
    >
      <CalendarDays size={15} aria-hidden="true" />
    </AriaButton>
  )
}

/** Opens a small calendar, which comes when it is wanted; two clicks, or arrow keys and Enter, choose the first and the last day. */
export function DaysButton({ onDays }: { onDays: (first: CalendarDate, last: CalendarDate) => void }): ReactNode {
  const [Popover, setPopover] = useState<typeof DaysPopover | null>(null)
  if (Popover) return <Popover onDays={onDays} />
  return (
    <DaysFace onPress={() => void import('./days-popover').then((module) => setPopover(() => module.DaysPopover))} />
  )
}
