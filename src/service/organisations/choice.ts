import { z } from 'zod'
import type { Actor } from '@/service/base/actor'
import { invalid, notFound, Problem } from '@/service/base/problem'
import { accountsFitting, signInSchema } from '@/service/entry/sign-in'
import { enter, type Entry } from '@/service/entry/entry'
import type { Caller } from '@/service/people/sessions'
import { maybeOne } from '@/store/db'
import { inOrganisation, organisation } from '@/store/organisation'
import { knownOrganisations } from '@/store/organisations'
import { joinIdentities, othersOf } from '@/service/people/identities'

export interface MyOrganisation {
  readonly id: number
  readonly title: string
  readonly isHere: boolean
}

/** Where the person is a member: this organisation, and those that they have shown to be of, too. None: there is but one on this server, and nobody notices. */
export async function myOrganisations(actor: Actor): Promise<MyOrganisation[]> {
  const here = organisation()
  const known = await knownOrganisations()
  if (known.length < 2) return []
  const own = { id: here, title: known.find(({ id }) => id === here)?.title ?? '', isHere: true }
  const others = actor.id === null ? [] : await othersOf({ organisationId: here, personId: actor.id })
  return [own, ...others.map(({ organisationId, title }) => ({ id: organisationId, title, isHere: false }))]
}

export const joinSchema = signInSchema

/** Shows, by what they sign in with there, that somebody in another organisation is the same person. Answers which organisations that are. */
export async function joinOrganisation(
  actor: Actor,
  request: z.output<typeof joinSchema>,
  caller: Caller,
): Promise<MyOrganisation[]> {
  if (actor.id === null || actor.via !== 'session')
    throw new Problem('not-now', 'Only a person who is signed in is of several.')
  const here = organisation()
  const fitting = (await accountsFitting(request, caller)).filter(({ organisationId }) => organisationId !== here)
  if (fitting.length === 0)
    throw invalid('password', 'With these nobody signs in to another organisation on this server.')
  await joinIdentities([{ organisationId: here, personId: actor.id }, ...fitting])
  return myOrganisations(actor)
}

export const goToSchema = z.strictObject({ id: z.int().positive() })

/** Goes over to another organisation of one's own; the session here ends. */
export async function goTo(actor: Actor, id: number, caller: Caller, oldToken: string | undefined): Promise<Entry> {
  if (actor.id === null || actor.via !== 'session')
    throw new Problem('not-now', 'Only a person who is signed in goes over.')
  // What a provider of this organisation says of somebody is believed in this organisation.
  const isElsewhere = await maybeOne(null, 'SELECT 1 AS one FROM sessions WHERE id = $1 AND provider_id IS NOT NULL', [
    actor.sessionId,
  ])
  if (isElsewhere)
    throw new Problem(
      'not-now',
      'You came in by this organisation’s own sign-in. Sign in with your password to go over.',
    )
  const others = await othersOf({ organisationId: organisation(), personId: actor.id })
  const there = others.find(({ organisationId }) => organisationId === id)
  if (!there) throw notFound('organisation', id)
  return inOrganisation(id, () => enter(there.personId, caller, oldToken))
}
