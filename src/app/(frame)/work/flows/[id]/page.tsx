import type { Metadata } from 'next'
import { NotFound } from '@/ui/frame/not-found'
import type { ReactNode } from 'react'
import { fetchAhead } from '@/app/server/ahead'
import { FlowScreen } from '../flow-screen'

export const metadata: Metadata = { title: 'Flow' }

export default async function FlowPage({ params }: { params: Promise<{ id: string }> }): Promise<ReactNode> {
  const { id } = await params
  if (!/^[1-9]\d{0,14}$/.test(id)) return <NotFound isInFrame />
  await fetchAhead(`/flows/${id}`, '/flows/material', '/areas')
  return <FlowScreen id={Number(id)} />
}
