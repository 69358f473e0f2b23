'use client'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import type { DoorElsewhere } from '@/service/elsewhere/providers'
import { Stack } from '@/ui/parts/layout'

/** Leads away from Bugle, and back. */
const Away = styled.a`
  display: block;
  padding: 5px 9px;
  border: 1px solid var(--line);
  border-radius: 3px;
  text-align: center;
  font-weight: 600;
  color: inherit;
  &:hover {
    background: var(--shelf);
    text-decoration: none;
  }
`

/** Where else one can sign in. */
export function Doors({ doors, to }: { readonly doors: readonly DoorElsewhere[]; readonly to: string }): ReactNode {
  return (
    <Stack>
      {doors.map(({ id, title }) => (
        <Away key={id} href={`/api/sign-in/elsewhere?${new URLSearchParams({ with: id, to })}`}>
          Sign in with {title}
        </Away>
      ))}
    </Stack>
  )
}
