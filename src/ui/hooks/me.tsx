'use client'
import { createContext, useContext, useMemo, type ReactNode } from 'react'
import { heightOf, LEVEL_OF_ROLE, LEVELS, levelOf, type Level } from '@/core/people/rights'
import { mayDo, missingRight, type Right, type Role } from '@/core/people/roles'
import type { Opens } from '@/core/people/opens'
import { homeOf, type Home } from '@/core/phrase/names'
import type { TriggerDefaults } from '@/core/work/trigger'

export interface Me {
  readonly id: number
  readonly name: string
  readonly email: string
  readonly role: Role
  /** The most that areas grant, anywhere. */
  readonly granted: Level | 'none'
  /** Where the server has several: the one that this is, and the others that the person is of. */
  readonly organisations?: readonly { readonly id: number; readonly title: string; readonly isHere: boolean }[]
  readonly looksAfterServer?: true
  readonly zone: string
  /** Of the server: whose holidays are meant where no country is named. */
  readonly country?: string
  readonly theme: 'light' | 'dark' | 'system'
  readonly paceSeconds: number
  /** How days are written in fields; unless said: 2027-03-09. */
  readonly dateFormat?: 'iso' | 'day-first' | 'month-first'
  /** Where Bugle opens; unless said: at the first steps of a new server, else at Watch. */
  readonly opens?: Opens
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

/** The organisation that this is, where there are several. */
export const useOrganisation = (): { readonly id: number; readonly title: string } | undefined =>
  useMe().organisations?.find(({ isHere }) => isHere)

/** Whose holidays a phrase means that names no country. */
export function useHome(): Home | null {
  const { country } = useMe()
  return useMemo(() => (country === undefined ? null : homeOf(country)), [country])
}

const HereContext = createContext<{ readonly level: Level | 'none'; readonly isOneArea: boolean } | null>(null)

/** What is within stands in one area, on which the person may this. */
export function MayHere({ level, children }: { level: Level | 'none'; children: ReactNode }): ReactNode {
  const here = useMemo(() => ({ level, isOneArea: true }), [level])
  return <HereContext.Provider value={here}>{children}</HereContext.Provider>
}

/** The most that the person may on any area: what can be tried at all, where a list has many. */
export function useMost(): Level | 'none' {
  const { role, granted } = useMe()
  const most = Math.max(heightOf(LEVEL_OF_ROLE[role]), heightOf(granted))
  return most === 0 ? 'none' : (LEVELS[most - 1] as Level)
}

/** What is within is of many areas: whoever may on some of them may try, and the server says where not. */
export function MaySomewhere({ children }: { children: ReactNode }): ReactNode {
  const level = useMost()
  const here = useMemo(() => ({ level, isOneArea: false }), [level])
  return <HereContext.Provider value={here}>{children}</HereContext.Provider>
}

/** Whether the person may, on what this stands within, else in the organisation; and if not, why, in words for a tooltip. */
export function useMay(right: Right): { readonly may: boolean; readonly why: string | undefined } {
  const { role } = useMe()
  const here = useContext(HereContext)
  // What an administrator does is of the organisation, wherever it stands.
  if (here === null || right === 'administer') {
    const may = mayDo(role, right)
    return { may, why: may ? undefined : missingRight(right) }
  }
  const may = heightOf(here.level) >= heightOf(levelOf(right))
  if (may) return { may, why: undefined }
  const why = here.isOneArea ? `You may ${here.level} here; it takes ${levelOf(right)}.` : missingRight(right)
  return { may, why }
}
