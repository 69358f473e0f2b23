'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { isMeant, isRobotTarget, wantedBy, type Target } from '@/core/dispatch/target'
import { PRIORITIES } from '@/core/dispatch/types'
import { slugOf } from '@/core/schema/slug'
import { IF_NOBODY, UNREACHABLE_THEN, type JobDefinition } from '@/core/work/job'
import type { AgentRow, PoolRow } from '@/service/fleet/fleet'
import type { RobotRow } from '@/service/fleet/robots'
import { api } from '@/ui/api'
import { count } from '@/ui/format'
import { faultIn } from '@/ui/hooks/draft'
import { useMay } from '@/ui/hooks/me'
import { TextField } from '@/ui/parts/fields'
import { Select } from '@/ui/parts/select'
import { Small, Stack } from '@/ui/parts/layout'
import { NumberField } from '@/ui/parts/number-field'
import { SelectOrNew } from '@/ui/parts/select-or-new'
import { Part, Sentence, Word } from '@/ui/parts/sentence'
import { useSaidBy } from '@/app/shared/work/connections/said'
import { LabelsField } from '@/app/shared/work/pairs-field'
import { AccountAndLocks } from './account-and-locks'
import type { SectionProps } from './section-props'

const THEN_WORDS = {
  wait: 'wait on',
  fail: 'fail',
  elsewhere: 'go to another agent of its pool',
}

const KINDS = [
  { id: 'pool', title: 'any agent of pool' },
  { id: 'agent', title: 'only agent' },
  { id: 'labels', title: 'any agent with labels' },
  { id: 'robotPool', title: 'any robot of pool' },
  { id: 'robot', title: 'only robot' },
  { id: 'robotLabels', title: 'any robot with labels' },
] as const
type Kind = (typeof KINDS)[number]['id']

const blank = (kind: Kind): Target =>
  (kind === 'labels' || kind === 'robotLabels' ? { [kind]: {} } : { [kind]: '' }) as unknown as Target

/** On which agent or robot it runs, how much of it, and what if none can be reached. */
export function WhereSection({ definition, define, faultOf }: SectionProps): ReactNode {
  const { target, unreachable } = definition
  const kind = Object.keys(target)[0] as Kind
  const saidBy = useSaidBy('target')
  const forRobot = isRobotTarget(target)
  const to = (next: string): void => {
    const fresh = blank(next as Kind)
    // A robot is taken whole, and works under its own account.
    define({ target: fresh as JobDefinition['target'], ...(isRobotTarget(fresh) ? { slots: 1, account: null } : {}) })
  }
  return (
    <Part aria-label="Where">
      <h2>Where</h2>
      <Stack>
        <Sentence>
          {saidBy === null ? (
            <>
              <Word>On</Word>
              <Select label="Kind of target" hideLabel value={kind} onChange={to} choices={KINDS} width="180px" />
              <TargetField definition={definition} define={define} faultOf={faultOf} />
            </>
          ) : (
            <Word>
              On any agent of the pool {'pool' in target ? target.pool : ''}, which reaches {saidBy},
            </Word>
          )}
          {!forRobot && (
            <>
              <Word>taking</Word>
              <NumberField
                label="Slots"
                value={definition.slots}
                onChange={(slots) => define({ slots })}
                error={faultOf('definition.slots')}
              />
              <Word>{definition.slots === 1 ? 'slot' : 'slots'},</Word>
            </>
          )}
          <Word>{forRobot ? 'with' : ''} priority</Word>
          <Select
            label="Priority"
            hideLabel
            value={definition.priority}
            onChange={(priority) => define({ priority: priority as JobDefinition['priority'] })}
            choices={PRIORITIES.map((p) => ({ id: p, title: p }))}
            width="110px"
          />
        </Sentence>
        <Sentence>
          <Word>Only agents of version</Word>
          <TextField
            label="Least agent version"
            hideLabel
            value={definition.minVersion ?? ''}
            onChange={(v) => define({ minVersion: v === '' ? null : v })}
            error={faultOf('definition.minVersion')}
            width="90px"
            placeholder="any"
          />
          <Word>or newer.</Word>
          <Fits target={target} />
        </Sentence>
        <AccountAndLocks definition={definition} define={define} faultOf={faultOf} />
        {forRobot && <AskingSentence definition={definition} define={define} faultOf={faultOf} />}
        <Sentence>
          <Word>If none of them can be reached, look again every</Word>
          <NumberField
            label="Seconds between looks"
            value={unreachable.everySeconds}
            onChange={(everySeconds) => define({ unreachable: { ...unreachable, everySeconds } })}
            error={faultOf('definition.unreachable.everySeconds')}
          />
          <Word>seconds,</Word>
          <NumberField
            label="Number of looks"
            value={unreachable.times}
            onChange={(times) => define({ unreachable: { ...unreachable, times } })}
            error={faultOf('definition.unreachable.times')}
          />
          <Word>times, then</Word>
          <Select
            label="Then"
            hideLabel
            value={unreachable.then}
            onChange={(then) =>
              define({ unreachable: { ...unreachable, then: then as (typeof UNREACHABLE_THEN)[number] } })
            }
            choices={UNREACHABLE_THEN.map((id) => ({ id, title: THEN_WORDS[id] }))}
            width="235px"
            error={faultOf('definition.unreachable.then')}
          />
        </Sentence>
      </Stack>
    </Part>
  )
}

/** Of attended robots: how long each person is asked, and what then. */
function AskingSentence({ definition: { asking }, define, faultOf }: SectionProps): ReactNode {
  return (
    <Sentence>
      <Word>People at attended robots are asked for</Word>
      <NumberField
        label="Minutes to answer"
        value={asking.forSeconds / 60}
        onChange={(minutes) => define({ asking: { ...asking, forSeconds: Math.round(minutes * 60) } })}
        error={faultOf('definition.asking.forSeconds')}
      />
      <Word>minutes each; if nobody takes it,</Word>
      <Select
        label="If nobody takes it"
        hideLabel
        value={asking.ifNobody}
        onChange={(then) => define({ asking: { ...asking, ifNobody: then as (typeof IF_NOBODY)[number] } })}
        choices={IF_NOBODY.map((id) => ({ id, title: id === 'wait' ? 'it waits' : 'it fails' }))}
        width="110px"
      />
    </Sentence>
  )
}

/** Who is meant: a pool, one by name, or labels. */
function TargetField({ definition: { target }, define, faultOf }: SectionProps): ReactNode {
  const { why } = useMay('administer')
  const client = useQueryClient()
  const { data: pools = [], isSuccess: arePoolsKnown } = useQuery({
    queryKey: ['pools'],
    queryFn: () => api.get<PoolRow[]>('/pools'),
  })
  const names = useNames(isRobotTarget(target))
  const kind = Object.keys(target)[0] as Kind
  const { name, pool, labels } = wantedBy(target)
  const set = (value: unknown): void => define({ target: { [kind]: value } as unknown as JobDefinition['target'] })
  const fault =
    faultOf('definition.target') ??
    faultOf(`definition.target.${kind}`) ??
    (labels && faultIn(faultOf, `definition.target.${kind}`, labels))
  if (pool !== undefined)
    return (
      <SelectOrNew
        label="Pool"
        hideLabel
        what="pool"
        value={pool || null}
        onChange={set}
        choices={pools.map((p) => ({ id: p.name, title: p.name }))}
        add={async (title) => {
          const fresh = slugOf(title)
          await api.post('/pools', { name: fresh, title })
          await client.invalidateQueries({ queryKey: ['pools'] })
          return fresh
        }}
        width="180px"
        placeholder="Choose a pool"
        error={fault && 'Choose a pool.'}
        whyNot={arePoolsKnown ? why : 'not known yet'}
      />
    )
  if (labels !== undefined) return <LabelsField value={labels} onChange={set} error={fault} />
  const what = isRobotTarget(target) ? 'robot' : 'agent'
  return (
    <Select
      label={what === 'robot' ? 'Robot' : 'Agent'}
      hideLabel
      value={name || null}
      onChange={set}
      choices={names.map((each) => ({ id: each.name, title: each.name }))}
      width="200px"
      placeholder={`Choose ${what === 'robot' ? 'a robot' : 'an agent'}`}
      error={fault && `Choose ${what === 'robot' ? 'a robot' : 'an agent'}.`}
    />
  )
}

type Meant = Parameters<typeof isMeant>[1]

/** Agents, or robots, with what targets look at. */
function useNames(isRobot: boolean): Meant[] {
  const { data: agents = [] } = useQuery({
    queryKey: ['agents'],
    queryFn: () => api.get<AgentRow[]>('/agents'),
    enabled: !isRobot,
  })
  const { data: robots = [] } = useQuery({
    queryKey: ['robots'],
    queryFn: () => api.get<RobotRow[]>('/robots'),
    enabled: isRobot,
  })
  return (isRobot ? robots : agents).map(({ name, labels, pools }) => ({
    name,
    isRobot,
    labels,
    pools: pools.map((pool) => pool.name),
  }))
}

function Fits({ target }: { target: Target }): ReactNode {
  const what = isRobotTarget(target) ? 'robot' : 'agent'
  const fits = useNames(what === 'robot').filter((each) => isMeant(target, each))
  return (
    <Small style={{ lineHeight: '28px' }}>
      {fits.length === 0
        ? `No ${what} fits yet: runs would wait.`
        : `${count(fits.length, what)} fit${fits.length === 1 ? 's' : ''}: ${fits
            .slice(0, 6)
            .map(({ name }) => name)
            .join(', ')}${fits.length > 6 ? ' …' : ''}`}
    </Small>
  )
}
