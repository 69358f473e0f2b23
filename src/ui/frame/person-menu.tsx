'use client'
import type { ReactNode } from 'react'
import { Button as AriaButton } from 'react-aria-components'
import styled from 'styled-components'
import { useMe, useOrganisation } from '../hooks/me'
import { MenuButton } from '../parts/menu-button'

const Person = styled(AriaButton)`
  border: 1px solid var(--deck-line);
  border-radius: 3px;
  background: transparent;
  color: #fffdf8;
  height: 28px;
  padding: 0 9px;
  cursor: pointer;
  white-space: nowrap;
`

/** On a small window its menu says it. */
const Of = styled.span`
  color: #c8d2d1;
  @media (max-width: 1240px) {
    display: none;
  }
`

/** The person’s own. */
export function PersonMenu({ paused, onAction }: { paused: boolean; onAction: (id: string) => void }): ReactNode {
  const me = useMe()
  const others = me.organisations?.filter(({ isHere }) => !isHere) ?? []
  // Whoever is of one only knows where they are.
  const own = useOrganisation()
  const here = others.length > 0 ? own : undefined
  return (
    <MenuButton
      face={(before) => (
        <Person {...before} aria-label={`${me.name}${here ? ` of ${here.title}` : ''}, menu`}>
          {me.name.split(' ')[0]}
          {here && <Of> · {here.title}</Of>}
        </Person>
      )}
      items={[
        { id: 'settings', title: 'Settings' },
        { id: 'theme', title: me.theme === 'dark' ? 'Day colours' : 'Night colours' },
        { id: 'pause', title: paused ? 'Live again' : 'Hold the live updates' },
        { id: 'help', title: 'Keys (?)' },
        ...others.map(({ id, title }) => ({ id: `go-to-${id}`, title: `Go over to ${title}` })),
        { id: 'sign-out', title: 'Sign out' },
      ]}
      onAction={onAction}
    />
  )
}
