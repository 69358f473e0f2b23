import type { Metadata } from 'next'
import { notFound } from 'next/navigation'
import type { ReactNode } from 'react'
import { AgentScreen } from './agent-screen'

export const metadata: Metadata = { title: 'Agent' }

export default async function AgentPage({ params }: { params: Promise<{ id: string }> }): Promise<ReactNode> {
  const { id } = await params
  if (!/^[1-9]\d{0,14}$/.test(id)) notFound()
  return <AgentScreen id={Number(id)} />
}
