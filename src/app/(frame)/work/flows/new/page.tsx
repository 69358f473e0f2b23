import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { NewFlowScreen } from '../flow-screen'

export const metadata: Metadata = { title: 'New flow' }

export default function NewFlowPage(): ReactNode {
  return <NewFlowScreen />
}
