import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { MaySomewhere } from '@/ui/hooks/me'
import { TuningScreen } from './tuning-screen'

export const metadata: Metadata = { title: 'Tuning' }

export default function TuningPage(): ReactNode {
  return (
    <MaySomewhere>
      <TuningScreen />
    </MaySomewhere>
  )
}
