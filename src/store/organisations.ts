import { many } from './db'
import { inOrganisation, onServer, setShared } from './organisation'

export interface Organisation {
  readonly id: number
  readonly title: string
  readonly active: boolean
}

/** So long what this process knows of them may be out of date. */
const KNOWN_MS = 3000

// The bundler may load this module once per entry.
const holder = globalThis as typeof globalThis & {
  bugleOrganisations?: { readonly list: readonly Organisation[]; readonly atMs: number }
  bugleLooking?: Promise<readonly Organisation[]> | undefined
}

/** All organisations of this server, by their numbers, as they were a moment ago. */
export async function knownOrganisations(): Promise<readonly Organisation[]> {
  const known = holder.bugleOrganisations
  if (known && Date.now() - known.atMs < KNOWN_MS) return known.list
  const looking = (holder.bugleLooking ??= readOrganisations().finally(() => (holder.bugleLooking = undefined)))
  // Nobody waits for the next look, and one that fails is made again: who asks something of the database hears of it there.
  if (!known) return looking
  looking.catch(() => undefined)
  return known.list
}

/** The same, as they are now. */
export async function readOrganisations(): Promise<readonly Organisation[]> {
  const list = await onServer(() =>
    many<Organisation>(null, 'SELECT id, title, active FROM bugle_server.organisations ORDER BY id'),
  )
  setShared(list.length > 1)
  holder.bugleOrganisations = { list, atMs: Date.now() }
  return list
}

/** Does the work for each organisation that is switched on, all at once. */
export async function inEach<T>(work: (one: Organisation) => Promise<T>): Promise<T[]> {
  const active = (await knownOrganisations()).filter((one) => one.active)
  return Promise.all(active.map((one) => inOrganisation(one.id, () => work(one))))
}

/** Whether there is such an organisation, and it is switched on. */
export const isActive = async (id: number): Promise<boolean> =>
  (await knownOrganisations()).some((one) => one.id === id && one.active)
