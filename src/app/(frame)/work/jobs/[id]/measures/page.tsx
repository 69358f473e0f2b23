import type { Metadata } from 'next'
import { NotFound } from '@/ui/frame/not-found'
import type { ReactNode } from 'react'
import { JobMeasuresScreen } from '../../job-measures-screen'

export const metadata: Metadata = { title: 'Measures' }

export default async function JobMeasuresPage({ params }: { params: Promise<{ id: string }> }): Promise<ReactNode> {
  const { id } = await params
  if (!/^[1-9]\d{0,14}$/.test(id)) return <NotFound isInFrame />
  return <JobMeasuresScreen id={Number(id)} />
}
