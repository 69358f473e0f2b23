import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { MaySomewhere } from '@/ui/hooks/me'
import { StartScreen } from './start-screen'

export const metadata: Metadata = { title: 'Start' }

export default function StartPage(): ReactNode {
  return (
    <MaySomewhere>
      <StartScreen />
    </MaySomewhere>
  )
}
