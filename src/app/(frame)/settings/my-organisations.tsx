'use client'
import { useState, type ReactNode } from 'react'
import { api } from '@/ui/api'
import { useMe } from '@/ui/hooks/me'
import { useTrouble } from '@/ui/hooks/saving'
import { Button } from '@/ui/parts/button'
import { Card } from '@/ui/parts/card'
import { TextField } from '@/ui/parts/fields'
import { Row, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'

/** Only where the server has several: of which the person is, and how another joins them. */
export function MyOrganisations(): ReactNode {
  const { organisations } = useMe()
  const [email, setEmail] = useState('')
  const [password, setPassword] = useState('')
  const { trouble, setTrouble, faultOf } = useTrouble()
  if (!organisations) return null
  return (
    <Card>
      <h2>Your organisations</h2>
      {organisations.map(({ id, title, isHere }) => (
        <Row key={id}>
          <b>{title}</b>
          {isHere ? <Small>here</Small> : <Small>go over in the menu with your name</Small>}
        </Row>
      ))}
      <form
        onSubmit={(event) => {
          event.preventDefault()
          api.post('/me/organisations', { email, password }).then(() => window.location.reload(), setTrouble)
        }}
      >
        <Stack $gap={10}>
          <Small>
            If you are in another one on this server, too, say what you sign in with there, once: from then on you go
            over without signing in anew.
          </Small>
          {trouble && trouble.errors.length === 0 && <Trouble error={trouble} />}
          <TextField label="E-mail there" type="email" value={email} onChange={setEmail} autoComplete="off" />
          <TextField
            label="Password there"
            type="password"
            value={password}
            onChange={setPassword}
            error={faultOf('password')}
            autoComplete="off"
          />
          <Row>
            <Spring />
            <Button type="submit">It is me there, too</Button>
          </Row>
        </Stack>
      </form>
    </Card>
  )
}
