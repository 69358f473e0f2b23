import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { NotFound } from '@/ui/frame/not-found'
import { QueueScreen } from './queue-screen'

export const metadata: Metadata = { title: 'Work queue' }

export default async function QueuePage({ params }: { params: Promise<{ id: string }> }): Promise<ReactNode> {
  const { id } = await params
  if (!/^[1-9]\d{0,14}$/.test(id)) return <NotFound isInFrame />
  return <QueueScreen id={Number(id)} />
}
