import type { Metadata } from 'next'
import { NotFound } from '@/ui/frame/not-found'
import type { ReactNode } from 'react'
import { RobotScreen } from './robot-screen'

export const metadata: Metadata = { title: 'Robot' }

export default async function RobotPage({ params }: { params: Promise<{ id: string }> }): Promise<ReactNode> {
  const { id } = await params
  if (!/^[1-9]\d{0,14}$/.test(id)) return <NotFound isInFrame />
  return <RobotScreen id={Number(id)} />
}
