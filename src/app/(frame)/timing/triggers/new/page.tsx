import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { MaySomewhere } from '@/ui/hooks/me'
import { NewTriggerScreen } from '../trigger-screen'

export const metadata: Metadata = { title: 'New trigger' }

export default function NewTriggerPage(): ReactNode {
  return (
    <MaySomewhere>
      <NewTriggerScreen />
    </MaySomewhere>
  )
}
