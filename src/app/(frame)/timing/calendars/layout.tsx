import type { ReactNode } from 'react'
import { CalendarsShelf } from './calendars-shelf'

export default function CalendarsLayout({ children }: { children: ReactNode }): ReactNode {
  return <CalendarsShelf>{children}</CalendarsShelf>
}
