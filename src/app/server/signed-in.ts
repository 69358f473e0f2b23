import { headers } from 'next/headers'
import { redirect } from 'next/navigation'
import { cache } from 'react'
import type { Me } from '@/ui/hooks/me'
import type { Actor } from '@/service/base/actor'
import { opensAt } from '@/service/watch/start-page'
import { whoHasSession } from '@/service/people/sign-in'
import { config } from '@/store/config'
import { callerOf, cookieOf } from './caller'

/** Once for a request; sends everybody who is not signed in to the sign-in page. */
const signedIn = cache(async () => {
  const request = { headers: await headers() }
  const token = cookieOf(request)
  const found = token ? await whoHasSession(token, callerOf(request).address) : undefined
  if (!found || found.actor.id === null) redirect('/sign-in')
  return found
})

/** Who asks for a page. */
export const signedInActor = async (): Promise<Actor> => (await signedIn()).actor

/** Where Bugle opens for whoever asks. */
export async function whereToOpen(): Promise<string> {
  const { actor, preferences } = await signedIn()
  return `/${await opensAt(actor, preferences)}`
}

/** Who is signed in, for a page. */
export async function signedInPerson(): Promise<Me> {
  const { actor, preferences } = await signedIn()
  return {
    id: actor.id as number,
    name: actor.name,
    email: actor.email,
    role: actor.role,
    granted: actor.areas?.granted ?? 'none',
    zone: preferences.zone ?? config().zone,
    ...(config().country === undefined ? {} : { country: config().country as string }),
    theme: preferences.theme ?? 'system',
    paceSeconds: preferences.paceSeconds ?? 1,
    dateFormat: preferences.dateFormat ?? 'iso',
    ...(preferences.opens === undefined ? {} : { opens: preferences.opens }),
    newTrigger: preferences.newTrigger ?? {},
  }
}
