import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { ExchangeScreen } from './exchange-screen'

export const metadata: Metadata = { title: 'In and out' }

export default function ExchangePage(): ReactNode {
  return <ExchangeScreen />
}
