import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { RunsScreen } from './runs-screen'

export const metadata: Metadata = { title: 'Runs' }

export default function RunsPage(): ReactNode {
  return <RunsScreen />
}
