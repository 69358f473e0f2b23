'use client'
import { CalendarDays } from 'lucide-react'
import type { ReactNode } from 'react'
import { Button as AriaButton } from 'react-aria-components'

/** What opens a small calendar. */
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
