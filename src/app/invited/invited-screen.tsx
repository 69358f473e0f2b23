'use client'
import { useEffect, useState, type FormEvent, type ReactNode } from 'react'
import type { InvitationRow } from '@/service/letters/invitations'
import type { DoorElsewhere } from '@/service/elsewhere/providers'
import { Doors } from '@/app/shared/people/doors'
import { Door, useLetterToken } from '@/app/shared/people/door'
import { api } from '@/ui/api'
import { goIn, type Came } from '@/ui/came-in'
import { useTrouble } from '@/ui/hooks/saving'
import { Button } from '@/ui/parts/button'
import { TextField } from '@/ui/parts/fields'
import { Mute, Stack, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'

type Invitation = Pick<InvitationRow, 'email' | 'role' | 'areas' | 'note' | 'madeBy'> & {
  readonly doors?: readonly DoorElsewhere[]
}

const whatFor = ({ role, areas }: Invitation): string => {
  const parts = [
    ...(role === 'none' ? [] : [`${role === 'administrator' || role === 'operator' ? 'an' : 'a'} ${role}`]),
    ...areas.map(({ path, may }) => `${may} in ${path}`),
  ]
  return parts.join(', ')
}

/** Whoever is invited says who they are, and is in. */
export function InvitedScreen(): ReactNode {
  const token = useLetterToken()
  const [invitation, setInvitation] = useState<Invitation | null>(null)
  const [fault, setFault] = useState<unknown>(null)
  const [name, setName] = useState('')
  const [password, setPassword] = useState('')
  const { trouble, setTrouble, faultOf } = useTrouble()
  useEffect(() => {
    if (token !== null) api.post<Invitation>('/api/invited', { token }).then(setInvitation, setFault)
  }, [token])
  const submit = (event: FormEvent): void => {
    event.preventDefault()
    setTrouble(null)
    api.post<Came>('/api/invited/accept', { token, name, password }).then((came) => goIn(came, '/'), setTrouble)
  }
  return (
    <Door>
      {fault !== null && (
        <>
          <Trouble error={fault} />
          <Link href="/sign-in">Sign in</Link>
        </>
      )}
      {invitation && (
        <form onSubmit={submit}>
          <Stack $gap={12}>
            <p>
              {invitation.madeBy} invites you, {invitation.email}: {whatFor(invitation)}.
            </p>
            {invitation.note && <p>“{invitation.note}”</p>}
            {trouble && trouble.errors.length === 0 && <Trouble error={trouble} />}
            <TextField
              label="Your name"
              value={name}
              onChange={setName}
              error={faultOf('name')}
              autoComplete="name"
              autoFocus
            />
            <TextField
              label="Password"
              type="password"
              hint="At least 12 characters."
              value={password}
              onChange={setPassword}
              error={faultOf('password')}
              autoComplete="new-password"
            />
            <Button kind="strong" type="submit">
              Come in
            </Button>
          </Stack>
        </form>
      )}
      {invitation?.doors && invitation.doors.length > 0 && (
        <Stack $gap={8}>
          <Mute>Or come in by what you sign in with already, if it knows you as {invitation.email}:</Mute>
          <Doors doors={invitation.doors} to="/" />
        </Stack>
      )}
    </Door>
  )
}
