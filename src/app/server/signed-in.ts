import { cookies, headers } from 'next/headers'
import { redirect } from 'next/navigation'
import type { Me } from '@/ui/hooks/me'
import { whoHasSession } from '@/service/sign-in'
import { config } from '@/store/config'
import { SESSION_COOKIE } from './endpoint'

/** Who is signed in, for a page; sends everybody else to the sign-in page. */
export async function signedInPerson(): Promise<Me> {
  const token = (await cookies()).get(SESSION_COOKIE)?.value
  const address = (await headers()).get('x-forwarded-for')?.split(',').at(-1)?.trim() ?? 'unknown'
  const signedIn = token ? await whoHasSession(token, address) : undefined
  if (!signedIn || signedIn.actor.id === null) redirect('/sign-in')
  const { actor, preferences } = signedIn
  return {
    id: actor.id as number,
    name: actor.name,
    email: actor.email,
    role: actor.role,
    zone: preferences.zone ?? config().zone,
    theme: preferences.theme ?? 'system',
    paceSeconds: preferences.paceSeconds ?? 1,
    newTrigger: preferences.newTrigger ?? {},
  }
}
