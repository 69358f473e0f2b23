'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import { LEVELS, type Level } from '@/core/people/rights'
import type { AreaRow } from '@/service/work/areas'
import type { ServiceAccountRow } from '@/service/work/service-accounts'
import { api, type ApiProblem } from '@/ui/api'
import { count } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { useTrouble } from '@/ui/hooks/saving'
import { Button } from '@/ui/parts/button'
import { Dialog, DialogButtons } from '@/ui/parts/dialog'
import { Switch, TextField } from '@/ui/parts/fields'
import { Row, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { Select } from '@/ui/parts/select'
import { Table } from '@/ui/parts/table'
import { Ago } from '@/ui/parts/time'
import { ServiceTokens } from './service-tokens'

const LEVEL_CHOICES = LEVELS.map((id) => ({ id, title: id }))

/** Accounts of scripts: each belongs to an area, and comes in by tokens alone. */
export function ServiceAccounts(): ReactNode {
  const { data = [] } = useQuery({
    queryKey: ['service-accounts'],
    queryFn: () => api.get<ServiceAccountRow[]>('/service-accounts'),
  })
  const { data: areas = [] } = useQuery({ queryKey: ['areas'], queryFn: () => api.get<AreaRow[]>('/areas') })
  const client = useQueryClient()
  const say = useSay()
  const [adding, setAdding] = useState(false)
  const [shownId, setShown] = useState<number | null>(null)
  const refresh = (): void => void client.invalidateQueries({ queryKey: ['service-accounts'] })
  const change = (row: ServiceAccountRow, body: object): void => {
    api
      .patch(`/service-accounts/${row.id}`, body)
      .then(refresh, (error: ApiProblem) => say(error.detail, { bad: true }))
  }
  const mine = areas.filter(({ may }) => may === 'manage')
  const shown = data.find(({ id }) => id === shownId)
  if (mine.length === 0 && data.length === 0) return null
  return (
    <>
      <Row style={{ padding: '14px 12px 8px' }}>
        <h2>Service accounts</h2>
        <Small>For scripts: each belongs to an area, has its rights there, and comes in by tokens alone.</Small>
        <Spring />
        <Button onPress={() => setAdding(true)} whyNot={mine.length === 0 ? 'It takes manage on an area.' : undefined}>
          New service account
        </Button>
      </Row>
      {data.length > 0 && (
        <Table
          label="Service accounts"
          rows={data}
          isDim={(row) => !row.active}
          columns={[
            { id: 'title', title: 'For', cell: (row) => <b title={row.notes}>{row.title}</b> },
            { id: 'area', title: 'Area', cell: (row) => row.area },
            {
              id: 'may',
              title: 'May there',
              cell: (row) =>
                row.tokens ? (
                  <Select
                    label={`What ${row.title} may`}
                    hideLabel
                    value={row.may}
                    onChange={(may) => change(row, { may })}
                    choices={LEVEL_CHOICES}
                    width="110px"
                  />
                ) : (
                  row.may
                ),
            },
            { id: 'used', title: 'Last used', cell: (row) => (row.lastUsedAt ? <Ago at={row.lastUsedAt} /> : 'never') },
            {
              id: 'active',
              title: 'Comes in',
              cell: (row) => (
                <Switch
                  isSelected={row.active}
                  onChange={(active) => change(row, { active })}
                  whyNot={row.tokens ? undefined : 'It takes manage on its area.'}
                >
                  <span className="visually-hidden">{row.title} comes in</span>
                  {row.active ? 'yes' : 'no'}
                </Switch>
              ),
            },
            {
              id: 'tokens',
              title: '',
              cell: (row) =>
                row.tokens && (
                  <Button kind="quiet" aria-label={`Tokens of ${row.title}`} onPress={() => setShown(row.id)}>
                    {count(row.tokens.filter(({ revokedAt }) => revokedAt === null).length, 'token')}
                  </Button>
                ),
            },
          ]}
        />
      )}
      {adding && (
        <NewAccount
          areas={mine}
          onClose={() => setAdding(false)}
          onDone={(id) => {
            setAdding(false)
            refresh()
            setShown(id)
          }}
        />
      )}
      <Dialog
        title={`Tokens of ${shown?.title ?? ''}`}
        isOpen={shown !== undefined}
        onClose={() => setShown(null)}
        width={620}
      >
        {shown && <ServiceTokens account={shown} onChanged={refresh} />}
      </Dialog>
    </>
  )
}

function NewAccount({
  areas,
  onClose,
  onDone,
}: {
  readonly areas: readonly AreaRow[]
  readonly onClose: () => void
  readonly onDone: (id: number) => void
}): ReactNode {
  const [title, setTitle] = useState('')
  const [notes, setNotes] = useState('')
  const [areaId, setAreaId] = useState(String(areas[0]?.id ?? ''))
  const [may, setMay] = useState<Level>('operate')
  const { trouble, setTrouble, faultOf } = useTrouble()
  return (
    <Dialog title="New service account" isOpen onClose={onClose} width={440}>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          api
            .post<{ id: number }>('/service-accounts', { title, notes, areaId: Number(areaId), may })
            .then(({ id }) => onDone(id), setTrouble)
        }}
      >
        <Stack $gap={12}>
          {trouble && trouble.errors.length === 0 && <Trouble error={trouble} />}
          <TextField label="What it is for" value={title} onChange={setTitle} error={faultOf('title')} autoFocus />
          <Select
            label="Area"
            value={areaId}
            onChange={setAreaId}
            choices={areas.map(({ id, path }) => ({ id: String(id), title: path }))}
          />
          <Select label="May there" value={may} onChange={setMay} choices={LEVEL_CHOICES} />
          <TextField label="Notes" value={notes} onChange={setNotes} error={faultOf('notes')} />
          <DialogButtons onClose={onClose}>Make it</DialogButtons>
        </Stack>
      </form>
    </Dialog>
  )
}
