import type { Metadata } from 'next'
import { NotFound } from '@/ui/frame/not-found'
import type { ReactNode } from 'react'
import { CalendarsScreen } from '../calendars-screen'

export const metadata: Metadata = { title: 'Calendar' }

export default async function CalendarPage({ params }: { params: Promise<{ id: string }> }): Promise<ReactNode> {
  const { id } = await params
  if (!/^[1-9]\d{0,14}$/.test(id)) return <NotFound isInFrame />
  return <CalendarsScreen which={Number(id)} />
}
