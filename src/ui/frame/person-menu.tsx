'use client'
import { useState, type ReactNode } from 'react'
import { Button as AriaButton } from 'react-aria-components'
import styled from 'styled-components'
import { useMe } from '../hooks/me'
import type { ActionMenu } from '../parts/menu'

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

/** The person’s own: it comes when it is first reached for. */
export function PersonMenu({ paused, onAction }: { paused: boolean; onAction: (id: string) => void }): ReactNode {
  const me = useMe()
  const [Menu, setMenu] = useState<typeof ActionMenu | null>(null)
  const name = `${me.name}, menu`
  const word = me.name.split(' ')[0]
  const load = (): Promise<typeof ActionMenu> => import('../parts/menu').then((module) => module.ActionMenu)
  if (!Menu)
    return (
      <Person
        aria-label={name}
        aria-haspopup="menu"
        onHoverStart={() => void load()}
        onFocus={() => void load()}
        onPress={() => void load().then((menu) => setMenu(() => menu))}
      >
        {word}
      </Person>
    )
  return (
    <Menu
      isFirstOpen
      button={<Person aria-label={name}>{word}</Person>}
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
