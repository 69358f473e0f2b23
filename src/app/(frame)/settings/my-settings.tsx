'use client'
import type { Right } from '@/core/people/roles'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import { PRIORITIES } from '@/core/dispatch/types'
import type { TriggerDefaults } from '@/core/work/trigger'
import type { ApiProblem } from '@/ui/api'
import { api } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { useLive } from '@/ui/hooks/live'
import { useMe } from '@/ui/hooks/me'
import { useTrouble } from '@/ui/hooks/saving'
import { Button } from '@/ui/parts/button'
import { Card, Cards } from '@/ui/parts/card'
import { Select, type Choice } from '@/ui/parts/select'
import { TextField } from '@/ui/parts/fields'
import { Row, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { Table } from '@/ui/parts/table'
import { Ago, Time } from '@/ui/parts/time'
import { SecondFactors } from './second-factors'
import { ShownOnce } from '@/app/shared/people/shown-once'
import { MyOrganisations } from './my-organisations'
import { MAKE_UP_WORDS, MinutesField, OVERLAP_WORDS } from '@/app/shared/timing/how-sections'

export function MySettings(): ReactNode {
  return (
    <Cards>
      <Stack $gap={16}>
        <Preferences />
        <NewTriggers />
        <Password />
        <SecondFactors />
      </Stack>
      <Stack $gap={16}>
        <Sessions />
        <MyOrganisations />
        <Tokens />
      </Stack>
    </Cards>
  )
}

function Preferences(): ReactNode {
  const me = useMe()
  const { paceSeconds, setPaceSeconds } = useLive()
  const say = useSay()
  const zones = Intl.supportedValuesOf('timeZone').map((id) => ({ id, title: id }))
  const save = (change: object, reload = false): void => {
    api.patch('/me', change).then(
      () => (reload ? window.location.reload() : say('Saved.')),
      (error: ApiProblem) => say(error.detail, { bad: true }),
    )
  }
  return (
    <Card>
      <h2>How you like it</h2>
      <Select label="Times are shown in" value={me.zone} onChange={(zone) => save({ zone }, true)} choices={zones} />
      <Select
        label="Days are written"
        value={me.dateFormat ?? 'iso'}
        onChange={(dateFormat) => save({ dateFormat }, true)}
        choices={[
          { id: 'iso', title: '2027-03-09: year, month, day' },
          { id: 'day-first', title: '09/03/2027: the day first' },
          { id: 'month-first', title: '03/09/2027: the month first' },
        ]}
      />
      <Select
        label="Colours"
        value={me.theme}
        onChange={(theme) => save({ theme }, true)}
        choices={[
          { id: 'system', title: 'as the system' },
          { id: 'light', title: 'day: ink on paper' },
          { id: 'dark', title: 'night watch' },
        ]}
      />
      <Select
        label="Bugle opens at"
        value={me.opens ?? 'usual'}
        onChange={(opens) => opens !== 'usual' && save({ opens }, true)}
        choices={[
          ...(me.opens === undefined ? [{ id: 'usual' as const, title: 'Watch, once a new server is set up' }] : []),
          { id: 'start', title: 'Start: what is yours' },
          { id: 'watch', title: 'Watch' },
          { id: 'runs', title: 'Runs' },
          { id: 'work', title: 'Work' },
          { id: 'timing', title: 'Timing' },
          { id: 'tuning', title: 'Tuning' },
        ]}
      />
      <Select
        label="New data arrives"
        value={String(paceSeconds)}
        onChange={(pace) => {
          setPaceSeconds(Number(pace))
          save({ paceSeconds: Number(pace) })
        }}
        choices={[
          { id: '1', title: 'at once' },
          { id: '5', title: 'every 5 seconds' },
          { id: '15', title: 'every 15 seconds' },
          { id: '60', title: 'every minute' },
        ]}
      />
    </Card>
  )
}

/** What new triggers begin with. */
function NewTriggers(): ReactNode {
  const { newTrigger } = useMe()
  const say = useSay()
  const [defaults, setDefaults] = useState<TriggerDefaults>(newTrigger)
  const set = (change: { readonly [K in keyof TriggerDefaults]?: TriggerDefaults[K] | undefined }): void => {
    const next = Object.fromEntries(
      Object.entries({ ...defaults, ...change }).filter(([, value]) => value !== undefined),
    ) as TriggerDefaults
    setDefaults(next)
    api.patch('/me', { newTrigger: next }).then(
      () => say('Saved: new triggers of yours begin with this.'),
      (error: ApiProblem) => say(error.detail, { bad: true }),
    )
  }
  const choices = (words: Readonly<Record<string, string>>): Choice[] => [
    { id: PLAIN, title: 'as usual' },
    ...Object.entries(words).map(([id, title]) => ({ id, title })),
  ]
  const orNone = <T extends string>(id: string): T | undefined => (id === PLAIN ? undefined : (id as T))
  return (
    <Card>
      <h2>New triggers begin with</h2>
      <Select
        label="By the clock of"
        value={defaults.zone ?? PLAIN}
        onChange={(zone) => set({ zone: orNone(zone) })}
        choices={[
          { id: PLAIN, title: 'the zone times are shown in' },
          ...Intl.supportedValuesOf('timeZone').map((id) => ({ id, title: id })),
        ]}
      />
      <Select
        label="If the run before still goes on"
        value={defaults.overlap ?? PLAIN}
        onChange={(id) => set({ overlap: orNone(id) })}
        choices={choices(OVERLAP_WORDS)}
      />
      <Row $top>
        <div>
          <MinutesField
            label="Made up within, minutes"
            isLabelled
            value={defaults.lateStart}
            onChange={(lateStart) => set({ lateStart })}
          />
        </div>
        <div style={{ flex: 1 }}>
          <Select
            label="Made up"
            value={defaults.makeUp ?? PLAIN}
            onChange={(id) => set({ makeUp: orNone(id) })}
            choices={choices(MAKE_UP_WORDS)}
          />
        </div>
      </Row>
      <Select
        label="Priority"
        value={defaults.priority ?? PLAIN}
        onChange={(id) => set({ priority: orNone(id) })}
        choices={choices(Object.fromEntries(PRIORITIES.map((id) => [id, id])))}
      />
    </Card>
  )
}
const PLAIN = 'plain'

function Password(): ReactNode {
  const [current, setCurrent] = useState('')
  const [next, setNext] = useState('')
  const { trouble, setTrouble, faultOf } = useTrouble()
  const say = useSay()
  return (
    <Card>
      <h2>Password</h2>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          api.post('/me/password', { current, next }).then(() => {
            setCurrent('')
            setNext('')
            setTrouble(null)
            say('Your password is changed; your other sessions are ended.')
          }, setTrouble)
        }}
      >
        <Stack $gap={10}>
          {trouble && trouble.errors.length === 0 && <Trouble error={trouble} />}
          <TextField
            label="Present password"
            type="password"
            value={current}
            onChange={setCurrent}
            error={faultOf('current')}
            autoComplete="current-password"
          />
          <TextField
            label="New password"
            type="password"
            hint="At least 12 characters."
            value={next}
            onChange={setNext}
            error={faultOf('next')}
            autoComplete="new-password"
          />
          <Row>
            <Spring />
            <Button type="submit">Change it</Button>
          </Row>
        </Stack>
      </form>
    </Card>
  )
}

interface SessionRow {
  readonly id: number
  readonly address: string
  readonly userAgent: string
  readonly createdAt: string
  readonly lastSeenAt: string
  readonly current: boolean
}

function Sessions(): ReactNode {
  const client = useQueryClient()
  const say = useSay()
  const { data = [] } = useQuery({ queryKey: ['sessions'], queryFn: () => api.get<SessionRow[]>('/me/sessions') })
  const end = (id: number): void => {
    api.delete(`/me/sessions/${id}`).then(
      () => client.invalidateQueries({ queryKey: ['sessions'] }),
      (error: ApiProblem) => say(error.detail, { bad: true }),
    )
  }
  return (
    <Card>
      <h2>Where you are signed in</h2>
      <Table
        label="Sessions"
        rows={data}
        columns={[
          { id: 'address', title: 'From', cell: (s) => s.address },
          { id: 'agent', title: 'With', cell: (s) => <Small title={s.userAgent}>{s.userAgent}</Small> },
          { id: 'since', title: 'Since', cell: (s) => <Time at={s.createdAt} /> },
          { id: 'seen', title: 'Last seen', cell: (s) => <Ago at={s.lastSeenAt} /> },
          {
            id: 'end',
            title: '',
            cell: (s) =>
              s.current ? (
                <Small>this one</Small>
              ) : (
                <Button kind="quiet" onPress={() => end(s.id)}>
                  End
                </Button>
              ),
          },
        ]}
      />
    </Card>
  )
}

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

function Tokens(): ReactNode {
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
