'use client'
import { useState, type ReactNode } from 'react'
import { heightOf, levelOf } from '@/core/people/rights'
import { RIGHTS, type Right } from '@/core/people/roles'
import type { ServiceAccountRow } from '@/service/work/service-accounts'
import { ShownOnce } from '@/app/shared/people/shown-once'
import { api, type ApiProblem } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { useTrouble } from '@/ui/hooks/saving'
import { Button } from '@/ui/parts/button'
import { TextField } from '@/ui/parts/fields'
import { Row, Small, Stack, Trouble } from '@/ui/parts/layout'
import { Select } from '@/ui/parts/select'
import { Table } from '@/ui/parts/table'
import { Ago, Time } from '@/ui/parts/time'

const WORDS: Readonly<Record<Right, string>> = {
  see: 'read',
  operate: 'start and stop',
  design: 'change work',
  administer: 'all that it may',
}

/** Tokens of a service account; each may as much as it, or less. */
export function ServiceTokens({
  account,
  onChanged,
}: {
  readonly account: ServiceAccountRow
  readonly onChanged: () => void
}): ReactNode {
  const [name, setName] = useState('')
  const [days, setDays] = useState('90')
  const choices = RIGHTS.filter((right) => heightOf(levelOf(right)) <= heightOf(account.may))
  const [may, setMay] = useState<Right>(choices.at(-1) ?? 'see')
  const [made, setMade] = useState<string | null>(null)
  const { trouble, setTrouble, faultOf } = useTrouble()
  const say = useSay()
  return (
    <Stack $gap={12}>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          api
            .post<{ token: string }>(`/service-accounts/${account.id}/tokens`, { name, days: Number(days), may })
            .then(({ token }) => {
              setMade(token)
              setName('')
              setTrouble(null)
              onChanged()
            }, setTrouble)
        }}
      >
        {trouble && trouble.errors.length === 0 && <Trouble error={trouble} />}
        <Row $top>
          <TextField label="Where it is used" value={name} onChange={setName} error={faultOf('name')} width="190px" />
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
          <Select
            label="It may"
            value={may}
            onChange={setMay}
            choices={choices.map((id) => ({ id, title: WORDS[id] }))}
            width="150px"
          />
          <div style={{ paddingTop: 19 }}>
            <Button type="submit">Make</Button>
          </div>
        </Row>
        {faultOf('may') && <Small role="alert">{faultOf('may')}</Small>}
      </form>
      {made && <ShownOnce text={made} />}
      <Table
        label="Tokens"
        rows={account.tokens ?? []}
        isDim={(token) => token.revokedAt !== null}
        columns={[
          { id: 'name', title: 'Used', cell: (token) => <b>{token.name}</b> },
          { id: 'may', title: 'May', cell: (token) => WORDS[token.may] },
          { id: 'until', title: 'Good until', cell: (token) => <Time at={token.expiresAt} /> },
          {
            id: 'last',
            title: 'Last used',
            cell: (token) => (token.lastUsedAt ? <Ago at={token.lastUsedAt} /> : 'never'),
          },
          {
            id: 'acts',
            title: '',
            cell: (token) =>
              token.revokedAt ? (
                <Small>revoked</Small>
              ) : (
                <Button
                  kind="quiet"
                  onPress={() =>
                    void api
                      .delete(`/service-accounts/${account.id}/tokens/${token.id}`)
                      .then(onChanged, (error: ApiProblem) => say(error.detail, { bad: true }))
                  }
                >
                  Revoke
                </Button>
              ),
          },
        ]}
      />
    </Stack>
  )
}
