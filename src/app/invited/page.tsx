import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { InvitedScreen } from './invited-screen'

export const metadata: Metadata = { title: 'You are invited', robots: { index: false }, referrer: 'no-referrer' }
export const dynamic = 'force-dynamic'

export default function InvitedPage(): ReactNode {
  return <InvitedScreen />
}
