import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { ComingScreen } from './coming-screen'

export const metadata: Metadata = { title: 'Next starts' }

export default function ComingPage(): ReactNode {
  return <ComingScreen />
}
