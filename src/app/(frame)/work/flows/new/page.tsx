import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { MaySomewhere } from '@/ui/hooks/me'
import { NewFlowScreen } from '../flow-screen'

export const metadata: Metadata = { title: 'New flow' }

export default function NewFlowPage(): ReactNode {
  return (
    <MaySomewhere>
      <NewFlowScreen />
    </MaySomewhere>
  )
}
