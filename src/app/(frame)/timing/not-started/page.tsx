import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { MaySomewhere } from '@/ui/hooks/me'
import { NotStartedScreen } from './not-started-screen'

export const metadata: Metadata = { title: 'Not started' }

export default function NotStartedPage(): ReactNode {
  return (
    <MaySomewhere>
      <NotStartedScreen />
    </MaySomewhere>
  )
}
