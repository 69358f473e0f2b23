'use client'
import { useState, type FormEvent, type ReactNode } from 'react'
import { api } from '@/ui/api'
import { Button } from '@/ui/parts/button'
import { TextField } from '@/ui/parts/fields'
import { Row, Stack, Trouble } from '@/ui/parts/layout'

/** Asks for a letter with a link to a new password. The answer is the same for every address. */
export function Forgotten({
  email: first,
  onBack,
}: {
  readonly email: string
  readonly onBack: () => void
}): ReactNode {
  const [email, setEmail] = useState(first)
  const [isAsked, setAsked] = useState(false)
  const [trouble, setTrouble] = useState<unknown>(null)
  const submit = (event: FormEvent): void => {
    event.preventDefault()
    setTrouble(null)
    api.post('/api/forgotten', { email }).then(() => setAsked(true), setTrouble)
  }
  if (isAsked)
    return (
      <Stack $gap={12}>
        <p role="status">
          If somebody signs in here with {email}, a mail with a link is on its way. It works once, and for an hour.
        </p>
        <Button onPress={onBack}>Back</Button>
      </Stack>
    )
  return (
    <form onSubmit={submit}>
      <Stack $gap={12}>
        <p>A mail brings a link to choose a new password.</p>
        <Trouble error={trouble} />
        <TextField label="E-mail" type="email" value={email} onChange={setEmail} autoComplete="username" autoFocus />
        <Row>
          <Button kind="strong" type="submit">
            Send it
          </Button>
          <Button onPress={onBack}>Back</Button>
        </Row>
      </Stack>
    </form>
  )
}
