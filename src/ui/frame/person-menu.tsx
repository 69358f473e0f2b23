'use client'
import type { ReactNode } from 'react'
import { Button as AriaButton } from 'react-aria-components'
import styled from 'styled-components'
import { useMe } from '../hooks/me'
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

/** The person’s own. */
export function PersonMenu({ paused, onAction }: { paused: boolean; onAction: (id: string) => void }): ReactNode {
  const me = useMe()
  return (
    <MenuButton
      face={(before) => (
        <Person {...before} aria-label={`${me.name}, menu`}>
          {me.name.split(' ')[0]}
        </Person>
      )}
      items={[
        { id: 'settings', title: 'Settings' },
        { id: 'theme', title: me.theme === 'dark' ? 'Day colours' : 'Night colours' },
        { id: 'pause', title: paused ? 'Live again' : 'Hold the live updates' },
        { id: 'help', title: 'Keys (?)' },
        { id: 'sign-out', title: 'Sign out' },
      ]}
      onAction={onAction}
    />
  )
}
