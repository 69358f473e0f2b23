import type { Metadata } from 'next'
import { notFound } from 'next/navigation'
import type { ReactNode } from 'react'
import { JobScreen } from '../job-screen'

export const metadata: Metadata = { title: 'Job' }

export default async function JobPage({ params }: { params: Promise<{ id: string }> }): Promise<ReactNode> {
  const { id } = await params
  if (!/^[1-9]\d{0,14}$/.test(id)) notFound()
  return <JobScreen id={Number(id)} />
}
