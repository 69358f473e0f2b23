import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { MaySomewhere } from '@/ui/hooks/me'
import { LogScreen } from './log-screen'

export const metadata: Metadata = { title: 'Night log' }

export default function LogPage(): ReactNode {
  return (
    <MaySomewhere>
      <LogScreen />
    </MaySomewhere>
  )
}
