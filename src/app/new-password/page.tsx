import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { NewPasswordScreen } from './new-password-screen'

export const metadata: Metadata = { title: 'A new password', robots: { index: false }, referrer: 'no-referrer' }
export const dynamic = 'force-dynamic'

export default function NewPasswordPage(): ReactNode {
  return <NewPasswordScreen />
}
