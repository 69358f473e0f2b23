import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { MaySomewhere } from '@/ui/hooks/me'
import { MeasuresScreen } from './measures-screen'

export const metadata: Metadata = { title: 'Measures' }

export default function MeasuresPage(): ReactNode {
  return (
    <MaySomewhere>
      <MeasuresScreen />
    </MaySomewhere>
  )
}
