import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { CalendarsScreen } from './calendars-screen'

export const metadata: Metadata = { title: 'Calendars' }

export default function CalendarsPage(): ReactNode {
  return <CalendarsScreen which="first" />
}
