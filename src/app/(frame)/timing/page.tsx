import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { MaySomewhere } from '@/ui/hooks/me'
import { TriggersScreen } from './triggers-screen'

export const metadata: Metadata = { title: 'Timing' }

export default function TimingPage(): ReactNode {
  return (
    <MaySomewhere>
      <TriggersScreen />
    </MaySomewhere>
  )
}
