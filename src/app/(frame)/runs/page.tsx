import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { MaySomewhere } from '@/ui/hooks/me'
import { RunsScreen } from './runs-screen'

export const metadata: Metadata = { title: 'Runs' }

export default function RunsPage(): ReactNode {
  return (
    <MaySomewhere>
      <RunsScreen />
    </MaySomewhere>
  )
}
