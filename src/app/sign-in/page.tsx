import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { demoPeople, needsSetup } from '@/service/sign-in'
import { SignInScreen } from './sign-in-screen'

export const metadata: Metadata = { title: 'Sign in' }
export const dynamic = 'force-dynamic'

export default async function SignInPage({
  searchParams,
}: {
  searchParams: Promise<{ to?: string }>
}): Promise<ReactNode> {
  const { to } = await searchParams
  // Only a path of our own: never to another site.
  const target = to && /^\/(?!\/|\\)/.test(to) ? to : '/watch'
  return <SignInScreen to={target} people={await demoPeople()} isNew={await needsSetup()} />
}
