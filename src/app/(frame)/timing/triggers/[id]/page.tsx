import type { Metadata } from 'next'
import { NotFound } from '@/ui/frame/not-found'
import type { ReactNode } from 'react'
import { TriggerScreen } from '../trigger-screen'

export const metadata: Metadata = { title: 'Trigger' }

export default async function TriggerPage({ params }: { params: Promise<{ id: string }> }): Promise<ReactNode> {
  const { id } = await params
  if (!/^[1-9]\d{0,14}$/.test(id)) return <NotFound isInFrame />
  return <TriggerScreen id={Number(id)} />
}
