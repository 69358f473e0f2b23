import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { NewJobScreen } from '../job-screen'

export const metadata: Metadata = { title: 'New job' }

export default function NewJobPage(): ReactNode {
  return <NewJobScreen />
}
