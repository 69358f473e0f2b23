'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import { ShownOnce } from '@/app/shared/people/shown-once'
import type { Right } from '@/core/people/roles'
import type { ApiProblem } from '@/ui/api'
import { api } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { Button } from '@/ui/parts/button'
import { Card } from '@/ui/parts/card'
import { TextField } from '@/ui/parts/fields'
import { Row, Small } from '@/ui/parts/layout'
import { Select } from '@/ui/parts/select'
import { Table } from '@/ui/parts/table'
import { Ago, Time } from '@/ui/parts/time'

interface TokenRow {
  readonly id: number
  readonly name: string
  readonly may: Right
  readonly createdAt: string
  readonly expiresAt: string
  readonly lastUsedAt: string | null
  readonly revokedAt: string | null
}

const MAY: readonly { id: Right; title: string }[] = [
  { id: 'see', title: 'read' },
  { id: 'operate', title: 'start and stop' },
  { id: 'design', title: 'change work' },
  { id: 'administer', title: 'all that you may' },
]

/** Tokens for scripts of one's own. */
export function MyTokens(): ReactNode {
  const client = useQueryClient()
  const say = useSay()
  const { data = [] } = useQuery({ queryKey: ['tokens'], queryFn: () => api.get<TokenRow[]>('/me/tokens') })
  const [name, setName] = useState('')
  const [days, setDays] = useState('90')
  const [may, setMay] = useState<Right>('operate')
  const [made, setMade] = useState<string | null>(null)
  const [trouble, setTrouble] = useState<ApiProblem | null>(null)
  const refresh = (): void => void client.invalidateQueries({ queryKey: ['tokens'] })
  const revoke = (id: number): void => {
    api.delete(`/me/tokens/${id}`).then(refresh, (error: ApiProblem) => say(error.detail, { bad: true }))
  }
  return (
    <Card>
      <h2>Access tokens for scripts</h2>
      <Small>
        A token may what you choose here, and never more than you. Send it as “Authorization: Bearer …” to the API.
      </Small>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          api.post<{ token: string }>('/me/tokens', { name, days: Number(days), may }).then(({ token }) => {
            setMade(token)
            setName('')
            setTrouble(null)
            refresh()
          }, setTrouble)
        }}
      >
        <Row $top>
          <TextField label="What it is for" value={name} onChange={setName} error={trouble?.detail} width="220px" />
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
          <Select label="It may" value={may} onChange={(id) => setMay(id as Right)} choices={MAY} width="150px" />
          <div style={{ paddingTop: 19 }}>
            <Button type="submit">Make</Button>
          </div>
        </Row>
      </form>
      {made && <ShownOnce text={made} />}
      <Table
        label="Access tokens"
        rows={data}
        isDim={(t) => t.revokedAt !== null}
        columns={[
          { id: 'name', title: 'For', cell: (t) => <b>{t.name}</b> },
          { id: 'may', title: 'May', cell: (t) => t.may },
          { id: 'made', title: 'Made', cell: (t) => <Time at={t.createdAt} /> },
          { id: 'expires', title: 'Good until', cell: (t) => <Time at={t.expiresAt} /> },
          { id: 'used', title: 'Last used', cell: (t) => (t.lastUsedAt ? <Ago at={t.lastUsedAt} /> : 'never') },
          {
            id: 'revoke',
            title: '',
            cell: (t) =>
              t.revokedAt ? (
                <Small>revoked</Small>
              ) : (
                <Button kind="quiet" onPress={() => revoke(t.id)}>
                  Revoke
                </Button>
              ),
          },
        ]}
      />
    </Card>
  )
}
