import type { Metadata } from 'next'
import { NotFound } from '@/ui/frame/not-found'
import type { ReactNode } from 'react'
import { SystemScreen } from './system-screen'

export const metadata: Metadata = { title: 'System' }

export default async function SystemPage({ params }: { params: Promise<{ id: string }> }): Promise<ReactNode> {
  const { id } = await params
  if (!/^[1-9]\d{0,14}$/.test(id)) return <NotFound isInFrame />
  return <SystemScreen id={Number(id)} />
}
