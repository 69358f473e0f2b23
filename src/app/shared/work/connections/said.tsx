'use client'
import { createContext, useContext } from 'react'

/** What of a job its system says, so that the job's own form does not ask for it. */
export interface Said {
  /** Names of fields: those of the action, `account`, `target`. */
  readonly fields: ReadonlySet<string>
  /** What the system is called. */
  readonly by: string
}

const SaidContext = createContext<Said>({ fields: new Set(), by: '' })

export const SaidBySystem = SaidContext.Provider

/** Who says this field instead of the form; null: the form does. */
export function useSaidBy(field: string): string | null {
  const { fields, by } = useContext(SaidContext)
  return fields.has(field) ? by : null
}
