'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import type { Setting } from '@/service/base/settings'
import { api, type ApiProblem } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { useMay } from '@/ui/hooks/me'
import { useSaving } from '@/ui/hooks/saving'
import { Button } from '@/ui/parts/button'
import { Card, Cards } from '@/ui/parts/card'
import { TextField } from '@/ui/parts/fields'
import { NumberField } from '@/ui/parts/number-field'
import { Row, Small, Stack } from '@/ui/parts/layout'
import { Sentence, Word } from '@/ui/parts/sentence'
import { Time } from '@/ui/parts/time'

/** Whether triggers start anything, and what counts as too often on too many. */
export function TimingSettings(): ReactNode {
  return (
    <Cards $first="minmax(0, 1fr)">
      <Starts />
      <TooOften />
      <Chances />
    </Cards>
  )
}

function Starts(): ReactNode {
  const { data } = useQuery({ queryKey: ['starts'], queryFn: () => api.get<Setting<'starts'>>('/starts') })
  const { why } = useMay('operate')
  const client = useQueryClient()
  const say = useSay()
  const [note, setNote] = useState('')
  if (!data) return <Card aria-busy="true" />
  const turn = (on: boolean): void => {
    api.put('/starts', { on, note: on ? '' : note }).then(
      () => {
        setNote('')
        void client.invalidateQueries({ queryKey: ['starts'] })
        say(on ? 'Triggers start runs again.' : 'Starts by triggers are off. Runs go on.')
      },
      (error: ApiProblem) => say(error.detail, { bad: true }),
    )
  }
  return (
    <Card>
      <h2>Starts by triggers are {data.on ? 'on' : 'off'}</h2>
      <p>
        {data.on
          ? 'Every trigger that is on starts its job when it is due.'
          : 'No trigger starts anything. What runs goes on, and people can start runs.'}
      </p>
      {data.at && (
        <Small>
          Switched {data.on ? 'on' : 'off'} by {data.by} <Time at={data.at} withRelative />
          {data.note && `: ${data.note}`}
        </Small>
      )}
      {data.on ? (
        <Stack $gap={8}>
          <TextField
            label="Why (shown to everybody)"
            value={note}
            onChange={setNote}
            placeholder="storage is being moved"
          />
          <Row>
            <Button kind="danger" onPress={() => turn(false)} whyNot={why}>
              Switch starts off
            </Button>
            <Small>Runs go on. What is missed is made up later, within each trigger’s allowance.</Small>
          </Row>
        </Stack>
      ) : (
        <Row>
          <Button kind="strong" onPress={() => turn(true)} whyNot={why}>
            Switch starts on
          </Button>
          <Small>
            What was missed and is still within its allowance is started then; the rest is listed as not started.
          </Small>
        </Row>
      )}
    </Card>
  )
}

function TooOften(): ReactNode {
  const { data } = useQuery({
    queryKey: ['starts', 'too-often'],
    queryFn: () => api.get<Setting<'too-often'>>('/too-often'),
  })
  if (!data) return <Card aria-busy="true" />
  return <TooOftenForm key={JSON.stringify(data)} saved={data} />
}

function TooOftenForm({ saved }: { saved: Setting<'too-often'> }): ReactNode {
  const { why } = useMay('administer')
  const { faultOf, save } = useSaving()
  const [minutes, setMinutes] = useState(String(saved.minutes))
  const [machines, setMachines] = useState(String(saved.machines))
  const numberOr = (text: string): number | string => (/^\d+$/.test(text.trim()) ? Number(text) : text)
  const isChanged = minutes !== String(saved.minutes) || machines !== String(saved.machines)
  return (
    <Card>
      <h2>Too often on too many</h2>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          const request = { minutes: numberOr(minutes), machines: numberOr(machines) }
          save(api.put('/too-often', request), 'Saved.', 'starts', 'triggers')
        }}
      >
        <Stack>
          <Sentence>
            <Word>A trigger is flagged if it fires more often than every</Word>
            <TextField
              label="Minutes"
              hideLabel
              value={minutes}
              onChange={setMinutes}
              error={faultOf('minutes')}
              width="64px"
            />
            <Word>minutes on more than</Word>
            <TextField
              label="Machines"
              hideLabel
              value={machines}
              onChange={setMachines}
              error={faultOf('machines')}
              width="64px"
            />
            <Word>machines.</Word>
          </Sentence>
          <Row>
            <Button type="submit" isDisabled={!isChanged} whyNot={why}>
              Save
            </Button>
          </Row>
        </Stack>
      </form>
    </Card>
  )
}

function Chances(): ReactNode {
  const { data } = useQuery({
    queryKey: ['forecast', 'chances'],
    queryFn: () => api.get<Setting<'chances'>>('/settings/chances'),
  })
  if (!data) return <Card aria-busy="true" />
  return <ChancesForm key={JSON.stringify(data)} saved={data} />
}

function ChancesForm({ saved }: { saved: Setting<'chances'> }): ReactNode {
  const { why } = useMay('administer')
  const { faultOf, save } = useSaving()
  const [amber, setAmber] = useState(saved.amber)
  const [red, setRed] = useState(saved.red)
  return (
    <Card>
      <h2>When a deadline is at risk</h2>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          const said = 'Saved. It holds from the next forecast on.'
          save(api.put('/settings/chances', { amber, red }), said, 'forecast', 'coming')
        }}
      >
        <Stack>
          <Sentence>
            <Word>Somebody is told when its chance to be in time falls below</Word>
            <NumberField label="At risk, per cent" value={amber} onChange={setAmber} error={faultOf('amber')} />
            <Word>%; below</Word>
            <NumberField label="Hardly to be met, per cent" value={red} onChange={setRed} error={faultOf('red')} />
            <Word>% it is shown in red.</Word>
          </Sentence>
          <Row>
            <Button type="submit" isDisabled={amber === saved.amber && red === saved.red} whyNot={why}>
              Save
            </Button>
          </Row>
        </Stack>
      </form>
    </Card>
  )
}
