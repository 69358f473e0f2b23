import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { SinceBackUpScreen } from './since-back-up-screen'

export const metadata: Metadata = { title: 'Since the back-up' }

export default function SinceBackUpPage(): ReactNode {
  return <SinceBackUpScreen />
}
