import type { Metadata } from 'next'
import type { ReactNode } from 'react'
import { noteOutage } from '@/app/server/outage'
import { ownPath } from '@/app/server/safe-path'
import { demoPeople } from '@/service/entry/sign-in'
import { doorsElsewhere } from '@/service/elsewhere/providers'
import { needsSetup } from '@/service/entry/set-up'
import { Away } from '@/ui/frame/failed-page'
import { SignInScreen } from './sign-in-screen'

export const metadata: Metadata = { title: 'Sign in' }
export const dynamic = 'force-dynamic'

export default async function SignInPage({
  searchParams,
}: {
  searchParams: Promise<{ to?: string | string[]; turned?: string | string[] }>
}): Promise<ReactNode> {
  const { to, turned } = await searchParams
  const known = await Promise.all([demoPeople(), needsSetup(), doorsElsewhere()]).catch((error: unknown) => {
    if (noteOutage(error)) return null
    throw error
  })
  if (!known) return <Away />
  const [people, isNew, doors] = known
  return (
    <SignInScreen
      to={ownPath(Array.isArray(to) ? to[0] : to)}
      people={people}
      doors={doors}
      turned={turned as string | undefined}
      isNew={isNew}
    />
  )
}
