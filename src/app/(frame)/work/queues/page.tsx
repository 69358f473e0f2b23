import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { QueuesScreen } from './queues-screen'

export const metadata: Metadata = { title: 'Work queues' }

export default function QueuesPage(): ReactNode {
  return <QueuesScreen />
}
