import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { MaySomewhere } from '@/ui/hooks/me'
import { WorthScreen } from './worth-screen'

export const metadata: Metadata = { title: 'What work spares' }

export default function WorthPage(): ReactNode {
  return (
    <MaySomewhere>
      <WorthScreen />
    </MaySomewhere>
  )
}
