'use client'
import { useState, type ReactNode } from 'react'
import { ShownOnce } from '@/app/shared/people/shown-once'
import type { Right } from '@/core/people/roles'
import type { TokenRow } from '@/service/people/access-tokens'
import { api, type ApiProblem } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { useTrouble } from '@/ui/hooks/saving'
import { Button } from '@/ui/parts/button'
import { TextField } from '@/ui/parts/fields'
import { Row, Small, Trouble } from '@/ui/parts/layout'
import { Select } from '@/ui/parts/select'
import { Table } from '@/ui/parts/table'
import { Ago, Time } from '@/ui/parts/time'

/** Tokens of a person or of a service account: what there is, another one, which is shown once, and the end of each. */
export function Tokens({
  label,
  path,
  tokens,
  forWhat,
  may: first,
  choices,
  onChanged,
}: {
  readonly label: string
  /** Where they are made, and each, by its number, is revoked. */
  readonly path: string
  readonly tokens: readonly TokenRow[]
  /** What is asked for as its name. */
  readonly forWhat: string
  readonly may: Right
  readonly choices: readonly { readonly id: Right; readonly title: string }[]
  readonly onChanged: () => void
}): ReactNode {
  const say = useSay()
  const [name, setName] = useState('')
  const [days, setDays] = useState('90')
  const [may, setMay] = useState<Right>(first)
  const [made, setMade] = useState<string | null>(null)
  const { trouble, setTrouble, faultOf } = useTrouble()
  const revoke = (id: number): void => {
    api.delete(`${path}/${id}`).then(onChanged, (error: ApiProblem) => say(error.detail, { bad: true }))
  }
  return (
    <>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          api.post<{ token: string }>(path, { name, days: Number(days), may }).then(({ token }) => {
            setMade(token)
            setName('')
            setTrouble(null)
            onChanged()
          }, setTrouble)
        }}
      >
        {trouble && trouble.errors.length === 0 && <Trouble error={trouble} />}
        <Row $top>
          <TextField label={forWhat} value={name} onChange={setName} error={faultOf('name')} width="200px" />
          <Select
            label="Good for"
            value={days}
            onChange={setDays}
            choices={[
              { id: '7', title: 'a week' },
              { id: '90', title: '90 days' },
              { id: '366', title: 'a year' },
            ]}
            width="110px"
          />
          <Select label="It may" value={may} onChange={setMay} choices={choices} width="150px" error={faultOf('may')} />
          <div style={{ paddingTop: 19 }}>
            <Button type="submit">Make</Button>
          </div>
        </Row>
      </form>
      {made && <ShownOnce text={made} />}
      <Table
        label={label}
        rows={tokens}
        isDim={(token) => token.revokedAt !== null}
        columns={[
          { id: 'name', title: 'For', cell: (token) => <b>{token.name}</b> },
          { id: 'may', title: 'May', cell: (token) => token.may },
          { id: 'made', title: 'Made', cell: (token) => <Time at={token.createdAt} /> },
          { id: 'expires', title: 'Good until', cell: (token) => <Time at={token.expiresAt} /> },
          {
            id: 'used',
            title: 'Last used',
            cell: (token) => (token.lastUsedAt ? <Ago at={token.lastUsedAt} /> : 'never'),
          },
          {
            id: 'revoke',
            title: '',
            cell: (token) =>
              token.revokedAt ? (
                <Small>revoked</Small>
              ) : (
                <Button kind="quiet" onPress={() => revoke(token.id)}>
                  Revoke
                </Button>
              ),
          },
        ]}
      />
    </>
  )
}
