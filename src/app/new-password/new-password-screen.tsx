'use client'
import { useState, type FormEvent, type ReactNode } from 'react'
import { Door, useLetterToken } from '@/app/shared/people/door'
import { api } from '@/ui/api'
import { goIn, type Came } from '@/ui/came-in'
import { useTrouble } from '@/ui/hooks/saving'
import { Button } from '@/ui/parts/button'
import { TextField } from '@/ui/parts/fields'
import { Stack, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'

/** Whoever came by the link of a letter chooses another password, and is signed in. */
export function NewPasswordScreen(): ReactNode {
  const token = useLetterToken()
  const [password, setPassword] = useState('')
  const { trouble, setTrouble, faultOf } = useTrouble()
  const submit = (event: FormEvent): void => {
    event.preventDefault()
    setTrouble(null)
    api.post<Came>('/api/new-password', { token, password }).then((came) => goIn(came, '/'), setTrouble)
  }
  return (
    <Door>
      <form onSubmit={submit}>
        <Stack $gap={12}>
          <p>Choose a new password. Your other sessions and your access tokens end.</p>
          {trouble && trouble.errors.length === 0 && <Trouble error={trouble} />}
          <TextField
            label="New password"
            type="password"
            hint="At least 12 characters."
            value={password}
            onChange={setPassword}
            error={faultOf('password')}
            autoComplete="new-password"
            autoFocus
          />
          <Button kind="strong" type="submit" isDisabled={token === null}>
            Take it
          </Button>
          <Link href="/sign-in">Sign in instead</Link>
        </Stack>
      </form>
    </Door>
  )
}
