import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { NotFound } from '@/ui/frame/not-found'
import { ResultScreen } from './result-screen'

export const metadata: Metadata = { title: 'Report' }

export default async function ResultPage({ params }: { params: Promise<{ id: string }> }): Promise<ReactNode> {
  const { id } = await params
  if (!/^[1-9]\d{0,14}$/.test(id)) return <NotFound isInFrame />
  return <ResultScreen id={Number(id)} />
}
