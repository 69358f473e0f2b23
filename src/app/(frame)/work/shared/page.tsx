import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { SharedScreen } from './shared-screen'

export const metadata: Metadata = { title: 'Shared values' }

export default function SharedPage(): ReactNode {
  return <SharedScreen />
}
