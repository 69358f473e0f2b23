import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { MaySomewhere } from '@/ui/hooks/me'
import { WorkScreen } from './work-screen'

export const metadata: Metadata = { title: 'Work' }

export default function WorkPage(): ReactNode {
  return (
    <MaySomewhere>
      <WorkScreen />
    </MaySomewhere>
  )
}
