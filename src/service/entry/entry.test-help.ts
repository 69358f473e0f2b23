import * as letters from '@/service/letters/invitations'
import * as passwords from '@/service/letters/new-passwords'
import * as choice from '@/service/organisations/choice'
import type { Entry } from './entry'
import * as entry from './sign-in'

/** The cookie's token of somebody who is asked for nothing more. */
export async function inAtOnce(came: Promise<Entry>): Promise<string> {
  const is = await came
  if (is.kind !== 'in') throw new Error(`A second factor is asked for: ${is.more.needs}.`)
  return is.token
}

const atOnce =
  <Given extends unknown[]>(work: (...given: Given) => Promise<Entry>) =>
  (...given: Given): Promise<string> =>
    inAtOnce(work(...given))

export const signIn = atOnce(entry.signIn)
export const goTo = atOnce(choice.goTo)
export const acceptInvitation = atOnce(letters.acceptInvitation)
export const setNewPassword = atOnce(passwords.setNewPassword)
