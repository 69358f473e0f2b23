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
