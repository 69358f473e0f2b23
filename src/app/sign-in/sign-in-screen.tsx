'use client'
import dynamic from 'next/dynamic'
import { Fragment, useEffect, useState, type FormEvent, type ReactNode } from 'react'
import styled from 'styled-components'
import { Doors } from '@/app/shared/people/doors'
import { Door, useLetterToken } from '@/app/shared/people/door'
import type { DoorElsewhere } from '@/service/elsewhere/providers'
import type { DemoPeople } from '@/service/entry/sign-in'
import { api, ApiProblem } from '@/ui/api'
import { leftToAsk, type Came, type MoreAsked } from '@/ui/came-in'
import { Button } from '@/ui/parts/button'
import { TextField } from '@/ui/parts/fields'
import { Mute, Stack, Trouble } from '@/ui/parts/layout'
import { Forgotten } from './forgotten'

const SecondFactor = dynamic(() => import('./second-factor').then((module) => module.SecondFactor), { ssr: false })

const Line = styled.div`
  border-top: 1px solid var(--line);
  padding-top: 12px;
`
const Person = styled.button`
  display: flex;
  justify-content: space-between;
  width: 100%;
  padding: 3px 9px;
  border: 1px solid var(--line);
  border-radius: 3px;
  background: var(--paper);
  cursor: pointer;
  text-align: left;
  &:hover {
    background: var(--shelf);
  }
`

interface Props {
  to: string
  people: readonly DemoPeople[]
  doors?: readonly DoorElsewhere[]
  /** Why somebody came back from a provider without being in. */
  turned?: string | undefined
  isNew: boolean
}

export function SignInScreen({ to, people, doors = [], turned, isNew }: Props): ReactNode {
  const [trouble, setTrouble] = useState<unknown>(null)
  // A new organisation’s first administrator comes with its code behind `#`.
  const code = useLetterToken() ?? ''
  const [asked, setAsked] = useState<MoreAsked | null>(null)
  useEffect(() => setAsked(leftToAsk()), [])
  if (asked)
    return (
      <Door>
        <SecondFactor asked={asked} to={to} />
      </Door>
    )
  return (
    <Door>
      {turned && <p role="alert">{TURNED[turned] ?? TURNED.again}</p>}
      {isNew || code.startsWith('first') ? (
        <FirstAdministrator to={to} code={code} isNew={isNew} />
      ) : (
        <SignInForm to={to} onMore={setAsked} />
      )}
      {!isNew && doors.length > 0 && (
        <Line>
          <Doors doors={doors} to={to} />
        </Line>
      )}
      {people.length > 0 && (
        <Line>
          <Stack $gap={5}>
            <Trouble error={trouble} />
            {people.map(({ organisation, title, people: some }) => (
              <Fragment key={organisation}>
                <Mute>Demo: be one of the people of {title}</Mute>
                {some.map((person) => (
                  <Person
                    key={person.id}
                    type="button"
                    onClick={() => {
                      setTrouble(null)
                      api
                        .post('/api/sign-in/demo', { personId: person.id, organisation })
                        .then(() => window.location.assign(to), setTrouble)
                    }}
                  >
                    <b>{person.name}</b>
                    <Mute>{person.role === 'none' ? 'areas only' : person.role}</Mute>
                  </Person>
                ))}
              </Fragment>
            ))}
          </Stack>
        </Line>
      )}
    </Door>
  )
}

/** What a provider, or what it says of somebody, came to. */
const TURNED: Readonly<Record<string, string>> = {
  again: 'That sign-in is over, or was begun in another browser. Begin again.',
  refused: 'The sign-in elsewhere did not come through: what came back did not fit, or was refused there.',
  unknown: 'You are signed in there, but nobody here has your address. Ask an administrator to invite you.',
  off: 'You may not sign in here any more. Ask an administrator.',
  away: 'The sign-in elsewhere does not answer now. Try again in a while, or use your password.',
}

/** After wrong tries, be they anybody's, the server wants some work done first: it is done here, and the same sent again. */
async function signIn(given: { email: string; password: string }): Promise<Came> {
  try {
    return await api.post<Came>('/api/sign-in', given)
  } catch (error) {
    const work =
      error instanceof ApiProblem ? (error.body.work as { challenge: string; bits: number } | undefined) : undefined
    if (!work) throw error
    const { doWork } = await import('@/ui/work')
    return api.post<Came>('/api/sign-in', { ...given, work: { challenge: work.challenge, nonce: await doWork(work) } })
  }
}

function SignInForm({ to, onMore }: { to: string; onMore: (asked: MoreAsked) => void }): ReactNode {
  const [email, setEmail] = useState('')
  const [password, setPassword] = useState('')
  const [trouble, setTrouble] = useState<unknown>(null)
  const [isForgotten, setForgotten] = useState(false)
  const submit = (event: FormEvent): void => {
    event.preventDefault()
    setTrouble(null)
    signIn({ email, password }).then(
      (came) => (came?.more ? onMore(came.more) : window.location.assign(to)),
      setTrouble,
    )
  }
  if (isForgotten) return <Forgotten email={email} onBack={() => setForgotten(false)} />
  return (
    <form onSubmit={submit}>
      <Stack $gap={12}>
        <Trouble error={trouble} />
        <TextField label="E-mail" type="email" value={email} onChange={setEmail} autoComplete="username" />
        <TextField
          label="Password"
          type="password"
          value={password}
          onChange={setPassword}
          autoComplete="current-password"
        />
        <Button kind="strong" type="submit">
          Sign in
        </Button>
        <Button kind="quiet" onPress={() => setForgotten(true)}>
          Forgot your password?
        </Button>
      </Stack>
    </form>
  )
}

function FirstAdministrator({ to, code, isNew }: { to: string; code: string; isNew: boolean }): ReactNode {
  const [values, setValues] = useState({ code, name: '', email: '', password: '' })
  const [trouble, setTrouble] = useState<unknown>(null)
  const set = (key: keyof typeof values) => (value: string) => setValues((before) => ({ ...before, [key]: value }))
  const faults = trouble instanceof ApiProblem ? trouble.errors : []
  const faultOf = (path: string): string | undefined => faults.find((fault) => fault.path === path)?.message
  const submit = (event: FormEvent): void => {
    event.preventDefault()
    setTrouble(null)
    api.post('/api/setup', values).then(() => window.location.assign(to), setTrouble)
  }
  return (
    <form onSubmit={submit}>
      <Stack $gap={12}>
        <p>
          {isNew
            ? 'Nobody is here yet. Make the first administrator with the one-time code that the server printed when it started.'
            : 'Be the first administrator of a new organisation, with the one-time code that was made for it.'}
        </p>
        {faults.length === 0 && <Trouble error={trouble} />}
        <TextField label="One-time code" value={values.code} onChange={set('code')} error={faultOf('code')} mono />
        <TextField label="Your name" value={values.name} onChange={set('name')} error={faultOf('name')} />
        <TextField
          label="E-mail"
          type="email"
          value={values.email}
          onChange={set('email')}
          error={faultOf('email')}
          autoComplete="username"
        />
        <TextField
          label="Password"
          type="password"
          hint="At least 12 characters."
          value={values.password}
          onChange={set('password')}
          error={faultOf('password')}
          autoComplete="new-password"
        />
        <Button kind="strong" type="submit">
          Begin
        </Button>
      </Stack>
    </form>
  )
}
