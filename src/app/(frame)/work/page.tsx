import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { WorkScreen } from './work-screen'

export const metadata: Metadata = { title: 'Work' }

export default function WorkPage(): ReactNode {
  return <WorkScreen />
}
