import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { MaySomewhere } from '@/ui/hooks/me'
import { CompareScreen } from './compare-screen'

export const metadata: Metadata = { title: 'Compare' }

export default function ComparePage(): ReactNode {
  return (
    <MaySomewhere>
      <CompareScreen />
    </MaySomewhere>
  )
}
