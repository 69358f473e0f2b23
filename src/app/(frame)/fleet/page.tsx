import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { FleetScreen } from './fleet-screen'

export const metadata: Metadata = { title: 'Fleet' }

export default function FleetPage(): ReactNode {
  return <FleetScreen />
}
