'use client'
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
import { Row, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { MySessions } from './my-sessions'
import { MyTokens } from './my-tokens'
import { SecondFactors } from './second-factors'
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
        <MySessions />
        <MyOrganisations />
        <MyTokens />
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
