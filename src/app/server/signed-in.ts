import { headers } from 'next/headers'
import { redirect } from 'next/navigation'
import { cache } from 'react'
import type { Me } from '@/ui/hooks/me'
import type { Actor } from '@/service/base/actor'
import { opensAt } from '@/service/watch/start-page'
import { myOrganisations } from '@/service/organisations/choice'
import { isServerAdministrator } from '@/service/people/server-administrators'
import { whoHasSession } from '@/service/people/sessions'
import { withToken } from '@/service/base/secrets'
import { config } from '@/store/config'
import { fromHere } from '@/store/organisation'
import { callerOf, cookieOf } from './caller'

/** Once for a request; sends everybody who is not signed in to the sign-in page. */
const signedIn = cache(async () => {
  const request = { headers: await headers() }
  const token = cookieOf(request)
  const found = token
    ? await withToken(token, async () => {
        const it = await whoHasSession(token, callerOf(request).address)
        return it && { ...it, here: fromHere() }
      })
    : undefined
  if (!found || found.actor.id === null) redirect('/sign-in')
  return found
})

/** What a page asks for itself, as whoever asks for the page. */
export async function asSignedIn<T>(work: (actor: Actor) => Promise<T>): Promise<T> {
  const { actor, here } = await signedIn()
  return here(() => work(actor))
}

/** Where Bugle opens for whoever asks. */
export async function whereToOpen(): Promise<string> {
  const { actor, preferences, here } = await signedIn()
  return `/${await here(() => opensAt(actor, preferences))}`
}

/** Who is signed in, for a page. */
export async function signedInPerson(): Promise<Me> {
  const { actor, preferences, here } = await signedIn()
  const organisations = await here(() => myOrganisations(actor))
  return {
    id: actor.id as number,
    name: actor.name,
    email: actor.email,
    role: actor.role,
    granted: actor.areas?.granted ?? 'none',
    ...(organisations.length > 0 ? { organisations } : {}),
    ...((await here(() => isServerAdministrator(actor))) ? { looksAfterServer: true as const } : {}),
    zone: preferences.zone ?? config().zone,
    ...(config().country === undefined ? {} : { country: config().country as string }),
    theme: preferences.theme ?? 'system',
    paceSeconds: preferences.paceSeconds ?? 1,
    dateFormat: preferences.dateFormat ?? 'iso',
    ...(preferences.opens === undefined ? {} : { opens: preferences.opens }),
    newTrigger: preferences.newTrigger ?? {},
  }
}
