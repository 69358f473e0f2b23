'use client'
import { QRCodeSVG } from 'qrcode.react'
import { useState, type FormEvent, type ReactNode } from 'react'
import styled from 'styled-components'
import type { FactorToMake } from '@/service/entry/make-factor'
import { ApiProblem } from '@/ui/api'
import { asProblem } from '@/ui/passkey-problem'
import { Button } from '@/ui/parts/button'
import { TextField } from '@/ui/parts/fields'
import { Mono, Row, Small, Stack, Trouble } from '@/ui/parts/layout'

/** Dark on light by day and by night: what reads it expects no other. */
const Picture = styled.div`
  background: #fff;
  padding: 12px;
  width: max-content;
  line-height: 0;
`

interface Answer {
  readonly ticket: string
  readonly title: string
  readonly code?: string
  readonly passkey?: object
}

/** Sets up a second factor: an app that shows codes, or a passkey. It is taken once it has shown that it works. */
export function MakeFactor({
  make,
  send,
}: {
  readonly make: FactorToMake
  readonly send: (answer: Answer) => Promise<void>
}): ReactNode {
  const [kind, setKind] = useState<'app' | 'passkey'>('app')
  const [title, setTitle] = useState('Phone')
  const [code, setCode] = useState('')
  const [trouble, setTrouble] = useState<unknown>(null)
  const faults = trouble instanceof ApiProblem ? trouble.errors : []
  const faultOf = (path: string): string | undefined => faults.find((fault) => fault.path === path)?.message
  const { ticket, app, passkey } = make
  const choose = (next: 'app' | 'passkey'): void => {
    setKind(next)
    setTrouble(null)
    setTitle(next === 'app' ? 'Phone' : 'Passkey')
  }
  const submit = (event: FormEvent): void => {
    event.preventDefault()
    setTrouble(null)
    const sent =
      kind === 'app' || passkey === null
        ? send({ ticket, title, code })
        : import('@simplewebauthn/browser')
            .then(({ startRegistration }) => startRegistration({ optionsJSON: passkey as never }))
            .then((answer) => send({ ticket, title, passkey: answer }))
    sent.catch(setTrouble)
  }
  return (
    <form onSubmit={submit}>
      <Stack $gap={12}>
        {passkey !== null && (
          <Row>
            <Button kind={kind === 'app' ? 'strong' : 'plain'} onPress={() => choose('app')}>
              Codes from an app
            </Button>
            <Button kind={kind === 'passkey' ? 'strong' : 'plain'} onPress={() => choose('passkey')}>
              A passkey
            </Button>
          </Row>
        )}
        {faults.length === 0 && trouble !== null && <Trouble error={asProblem(trouble)} />}
        {kind === 'app' ? (
          <>
            <Small>Let an app for one-time codes on your phone read this, or type it in there:</Small>
            <Picture>
              <QRCodeSVG value={app.uri} size={168} title="The secret, for the app’s camera" />
            </Picture>
            <Mono style={{ overflowWrap: 'anywhere' }}>{app.secret}</Mono>
            <TextField
              label="The code that it shows now"
              value={code}
              onChange={setCode}
              error={faultOf('code')}
              autoComplete="one-time-code"
              mono
              width="160px"
            />
          </>
        ) : (
          <>
            <Small>
              Your device, or a key in it, is asked to make one for this address. It shows that it is you, and never
              leaves.
            </Small>
            {faultOf('passkey') && <Small role="alert">{faultOf('passkey')}</Small>}
          </>
        )}
        <TextField label="What it is" value={title} onChange={setTitle} error={faultOf('title')} width="220px" />
        <Row>
          <Button kind="strong" type="submit">
            {kind === 'app' ? 'Take it' : 'Make the passkey'}
          </Button>
        </Row>
      </Stack>
    </form>
  )
}
