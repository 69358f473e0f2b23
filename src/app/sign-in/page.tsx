import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { ownPath } from '@/app/server/safe-path'
import { demoPeople, needsSetup } from '@/service/sign-in'
import { SignInScreen } from './sign-in-screen'

export const metadata: Metadata = { title: 'Sign in' }
export const dynamic = 'force-dynamic'

export default async function SignInPage({
  searchParams,
}: {
  searchParams: Promise<{ to?: string | string[] }>
}): Promise<ReactNode> {
  const { to } = await searchParams
  return (
    <SignInScreen to={ownPath(Array.isArray(to) ? to[0] : to)} people={await demoPeople()} isNew={await needsSetup()} />
  )
}
