'use client'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import { useAddress } from '@/ui/hooks/address'
import { Link } from '@/ui/parts/link'

const PLACES = {
  load: 'Load',
  deadlines: 'Deadlines',
  proposals: 'Proposals',
  'what-if': 'What if',
  schedules: 'Schedules',
  right: 'Was it right?',
} as const
export type TabName = keyof typeof PLACES
const FIRST: TabName = 'load'

export const tabOf = ({ tab }: Readonly<Record<string, string>>): TabName =>
  tab !== undefined && tab in PLACES ? (tab as TabName) : FIRST

const Nav = styled.nav`
  display: flex;
  flex-wrap: wrap;
  gap: 4px 20px;
  a {
    padding: 5px 0;
    color: var(--mute);
    border-bottom: 2px solid transparent;
  }
  a[aria-current] {
    color: var(--ink);
    font-weight: 600;
    border-color: var(--brass);
  }
`

/** The places of Tuning; each keeps the stretch, and the changes that are tried. */
export function TuningNav(): ReactNode {
  const { values } = useAddress()
  const here = tabOf(values)
  return (
    <Nav aria-label="Tuning">
      {Object.entries(PLACES).map(([id, title]) => {
        const { tab: _, pool: __, minute: ___, deadline: ____, ...kept } = values
        const query = new URLSearchParams({ ...kept, ...(id === FIRST ? {} : { tab: id }) }).toString()
        return (
          <Link
            key={id}
            href={`/tuning${query === '' ? '' : `?${query}`}`}
            aria-current={id === here ? 'page' : undefined}
          >
            {title}
          </Link>
        )
      })}
    </Nav>
  )
}
