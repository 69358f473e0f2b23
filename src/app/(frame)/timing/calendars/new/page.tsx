import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { CalendarsScreen } from '../calendars-screen'

export const metadata: Metadata = { title: 'New calendar' }

export default function NewCalendarPage(): ReactNode {
  return <CalendarsScreen which="new" />
}
