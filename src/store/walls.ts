// What a person may not see, the database does not show: whatever is read behind the walls is read by a role that can only read, and only what the policies of each table let it see
// (migration 0017).

import { AsyncLocalStorage } from 'node:async_hooks'

// The bundler may load this module once per entry; what one sets the others must see.
const holder = globalThis as typeof globalThis & { bugleWalls?: AsyncLocalStorage<number | undefined> }
const reader = (): AsyncLocalStorage<number | undefined> => (holder.bugleWalls ??= new AsyncLocalStorage())

/** Reads all that the work reads, and all that follows from it, as this person may: rows of areas that the person may not see are not there. It can change nothing. */
export function behindWalls<T>(personId: number, work: () => T): T {
  return reader().run(personId, work)
}

/** Beyond the walls again: for what is worked out of everything and shown in part. The caller answers for what of it is shown. */
export function beyondWalls<T>(work: () => T): T {
  return reader().run(undefined, work)
}

/** The person behind whose walls this is read; undefined: there are none. */
export const whoReads = (): number | undefined => holder.bugleWalls?.getStore()
