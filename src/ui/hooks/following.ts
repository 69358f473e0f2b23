'use client'
import { useState } from 'react'

/**
 * Fields that are typed here and stand for a value elsewhere: they follow the value when it changes, but not when the change came from what was typed.
 * The setter takes the new fields and the value they now stand for.
 */
export function useFollowing<T>(
  value: string,
  fieldsOf: (value: string) => T,
): [T, (fields: T, means: string) => void] {
  const [fields, setFields] = useState(() => fieldsOf(value))
  const [seen, setSeen] = useState(value)
  if (value !== seen) {
    setSeen(value)
    setFields(fieldsOf(value))
  }
  return [
    fields,
    (next, means) => {
      setFields(next)
      setSeen(means)
    },
  ]
}

/**
 * What a field could not read stands as the text itself where the value would: no schema takes it there, so that nothing is saved without it, and a field that is shown again shows it.
 */
export const asTyped = <T>(text: string): T => text as unknown as T

/** The text that stands where a value would, as `asTyped` left it; undefined: it is a value. */
export const typedIn = (value: unknown): string | undefined => (typeof value === 'string' ? value : undefined)
