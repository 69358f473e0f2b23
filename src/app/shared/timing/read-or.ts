import { PhraseFault } from '@/core/phrase/read'

/** What a reader of phrases made of a text, or what it did not understand. */
export type Read<T> = { readonly value: T } | { readonly fault: string }

export function readOr<T>(read: () => T): Read<T> {
  try {
    return { value: read() }
  } catch (error) {
    if (error instanceof PhraseFault) return { fault: error.message }
    throw error
  }
}
