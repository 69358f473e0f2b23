'use client'
import dynamic from 'next/dynamic'
import { useEffect, useState, type FormEvent, type ReactNode } from 'react'
import { RecoveryCodes } from '@/app/shared/people/recovery-codes'
import type { FactorToMake } from '@/service/entry/make-factor'
import { api, ApiProblem } from '@/ui/api'
import { asProblem } from '@/ui/passkey-problem'
import type { MoreAsked } from '@/ui/came-in'
import { Button } from '@/ui/parts/button'
import { TextField } from '@/ui/parts/fields'
import { Stack, Trouble } from '@/ui/parts/layout'

// The picture for the phone comes with what makes it, when somebody sets one up.
const MakeFactor = dynamic(() => import('@/app/shared/people/make-factor').then((module) => module.MakeFactor), {
  ssr: false,
})

interface Props {
  readonly asked: MoreAsked
  readonly to: string
}

/** What is asked for beside the password: one that is there, or a first one. */
export function SecondFactor({ asked, to }: Props): ReactNode {
  return asked.needs === 'show' ? <Show asked={asked} to={to} /> : <Make asked={asked} to={to} />
}

function Show({ asked: { ticket, hasApp, passkey }, to }: Props): ReactNode {
  const [by, setBy] = useState<'code' | 'recovery'>(hasApp ? 'code' : 'recovery')
  const [text, setText] = useState('')
  const [trouble, setTrouble] = useState<unknown>(null)
  const faults = trouble instanceof ApiProblem ? trouble.errors : []
  const show = (sent: object): Promise<void> =>
    api.post('/api/sign-in/second', { ticket, ...sent }).then(() => window.location.assign(to))
  const submit = (event: FormEvent): void => {
    event.preventDefault()
    setTrouble(null)
    show({ [by]: text }).catch(setTrouble)
  }
  const askPasskey = (): void => {
    setTrouble(null)
    import('@simplewebauthn/browser')
      .then(({ startAuthentication }) => startAuthentication({ optionsJSON: passkey as never }))
      .then((answer) => show({ passkey: answer }))
      .catch((error: unknown) => setTrouble(asProblem(error)))
  }
  const isField = passkey === null || hasApp || by === 'recovery'
  return (
    <Stack $gap={12}>
      <p>Show that it is you by one thing more.</p>
      {(faults.length === 0 || faults[0]?.path === 'passkey') && <Trouble error={trouble} />}
      {passkey !== null && (
        <Button kind={hasApp ? 'plain' : 'strong'} onPress={askPasskey} autoFocus>
          Use a passkey
        </Button>
      )}
      {isField && (
        <form onSubmit={submit}>
          <Stack $gap={12}>
            <TextField
              key={by}
              label={by === 'code' ? 'Code from your app' : 'One of your codes on paper'}
              value={text}
              onChange={setText}
              error={faults.find(({ path }) => path === by)?.message}
              autoComplete="one-time-code"
              mono
              autoFocus={passkey === null}
            />
            <Button kind="strong" type="submit">
              Go on
            </Button>
          </Stack>
        </form>
      )}
      {hasApp && (
        <Button
          kind="quiet"
          onPress={() => {
            setBy(by === 'code' ? 'recovery' : 'code')
            setText('')
            setTrouble(null)
          }}
        >
          {by === 'code' ? 'Lost your phone? Use a code on paper' : 'Use a code from your app'}
        </Button>
      )}
    </Stack>
  )
}

function Make({ asked: { ticket }, to }: Props): ReactNode {
  const [make, setMake] = useState<FactorToMake | null>(null)
  const [codes, setCodes] = useState<readonly string[] | null>(null)
  const [trouble, setTrouble] = useState<unknown>(null)
  useEffect(() => {
    api.post<FactorToMake>('/api/sign-in/second/begin', { ticket }).then(setMake, setTrouble)
  }, [ticket])
  if (codes) return <RecoveryCodes codes={codes} onDone={() => window.location.assign(to)} />
  return (
    <Stack $gap={12}>
      <p>Your role asks for a second factor beside the password. Set one up now.</p>
      <Trouble error={trouble} />
      {make && (
        <MakeFactor
          make={make}
          send={async (answer) => {
            const made = await api.post<{ recoveryCodes: string[] }>('/api/sign-in/second/make', answer)
            setCodes(made.recoveryCodes)
          }}
        />
      )}
    </Stack>
  )
}
