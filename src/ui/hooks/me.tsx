'use client'
import { createContext, useContext, useMemo, type ReactNode } from 'react'
import { mayDo, missingRight, type Right, type Role } from '@/core/people/roles'
import { homeOf, type Home } from '@/core/phrase/names'
import type { TriggerDefaults } from '@/core/work/trigger'

export interface Me {
  readonly id: number
  readonly name: string
  readonly email: string
  readonly role: Role
  readonly zone: string
  /** Of the server: whose holidays are meant where no country is named. */
  readonly country?: string
  readonly theme: 'light' | 'dark' | 'system'
  readonly paceSeconds: number
  /** How days are written in fields; unless said: 2027-03-09. */
  readonly dateFormat?: 'iso' | 'day-first' | 'month-first'
  /** What new triggers begin with. */
  readonly newTrigger: TriggerDefaults
}

const MeContext = createContext<Me | null>(null)

export function MeProvider({ me, children }: { me: Me; children: ReactNode }): ReactNode {
  return <MeContext.Provider value={me}>{children}</MeContext.Provider>
}

export function useMe(): Me {
  const me = useContext(MeContext)
  if (!me) throw new Error('useMe is used outside the frame.')
  return me
}

/** Whose holidays a phrase means that names no country. */
export function useHome(): Home | null {
  const { country } = useMe()
  return useMemo(() => (country === undefined ? null : homeOf(country)), [country])
}

/** Whether the person may, and if not, why, in words for a tooltip. */
export function useMay(right: Right): { readonly may: boolean; readonly why: string | undefined } {
  const { role } = useMe()
  const may = mayDo(role, right)
  return { may, why: may ? undefined : missingRight(right) }
}
