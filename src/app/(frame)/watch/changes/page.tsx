import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { MaySomewhere } from '@/ui/hooks/me'
import { ChangesScreen } from './changes-screen'

export const metadata: Metadata = { title: 'What changed' }

export default function ChangesPage(): ReactNode {
  return (
    <MaySomewhere>
      <ChangesScreen />
    </MaySomewhere>
  )
}
