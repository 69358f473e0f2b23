import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { MaySomewhere } from '@/ui/hooks/me'
import { ReportsScreen } from './reports-screen'

export const metadata: Metadata = { title: 'Reports' }

export default function ReportsPage(): ReactNode {
  return (
    <MaySomewhere>
      <ReportsScreen />
    </MaySomewhere>
  )
}
