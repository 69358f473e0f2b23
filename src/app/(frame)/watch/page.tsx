import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { MaySomewhere } from '@/ui/hooks/me'
import { WatchScreen } from './watch-screen'

export const metadata: Metadata = { title: 'Watch' }

export default function WatchPage(): ReactNode {
  return (
    <MaySomewhere>
      <WatchScreen />
    </MaySomewhere>
  )
}
