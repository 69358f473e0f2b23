import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { MaySomewhere } from '@/ui/hooks/me'
import { NewJobScreen } from '../job-screen'

export const metadata: Metadata = { title: 'New job' }

export default function NewJobPage(): ReactNode {
  return (
    <MaySomewhere>
      <NewJobScreen />
    </MaySomewhere>
  )
}
