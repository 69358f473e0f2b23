import type { Metadata } from 'next'
import { NotFound } from '@/ui/frame/not-found'
import type { ReactNode } from 'react'
import { AgentScreen } from './agent-screen'

export const metadata: Metadata = { title: 'Agent' }

export default async function AgentPage({ params }: { params: Promise<{ id: string }> }): Promise<ReactNode> {
  const { id } = await params
  if (!/^[1-9]\d{0,14}$/.test(id)) return <NotFound isInFrame />
  return <AgentScreen id={Number(id)} />
}
