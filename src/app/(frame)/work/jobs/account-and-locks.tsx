'use client'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { isRobotTarget } from '@/core/dispatch/target'
import { ACCOUNT_USE, isConnection } from '@/core/work/connections'
import type { AccountRow } from '@/service/fleet/accounts'
import type { LockRow } from '@/service/fleet/locks'
import { api } from '@/ui/api'
import { Button } from '@/ui/parts/button'
import { Select } from '@/ui/parts/select'
import { Small } from '@/ui/parts/layout'
import { NumberField } from '@/ui/parts/number-field'
import { Sentence, Word } from '@/ui/parts/sentence'
import { useSaidBy } from '@/app/shared/work/connections/said'
import type { SectionProps } from './section-props'

const NONE = 'none'

/** As whom it runs or signs in, and which locks it holds meanwhile. */
export function AccountAndLocks({ definition, define, faultOf }: SectionProps): ReactNode {
  const { action, account, locks } = definition
  const saidBy = useSaidBy('account')
  const { data: accounts = [] } = useQuery({
    queryKey: ['accounts'],
    queryFn: () => api.get<AccountRow[]>('/accounts'),
  })
  const { data: all = [] } = useQuery({ queryKey: ['locks'], queryFn: () => api.get<LockRow[]>('/locks') })
  // A robot task runs under its robot's account.
  const forRobot = isRobotTarget(definition.target)
  const use = forRobot
    ? 'none'
    : isConnection(action)
      ? ACCOUNT_USE[action.kind]
      : action.kind === 'wait'
        ? 'none'
        : 'may'
  const chosen = accounts.find(({ name }) => name === account)
  const free = all.filter(({ name }) => !(name in locks))
  const setUnits = (name: string, units: number | null): void => {
    const { [name]: _, ...rest } = locks
    define({ locks: units === null ? rest : { ...rest, [name]: units } })
  }
  return (
    <>
      {forRobot && (
        <Sentence>
          <Word>Under the account of the robot that takes it.</Word>
        </Sentence>
      )}
      {saidBy !== null && (
        <Sentence>
          <Word>
            Signing in as {account}, as {saidBy} says.
          </Word>
        </Sentence>
      )}
      {use !== 'none' && saidBy === null && (
        <Sentence>
          <Word>{isConnection(action) ? 'Signing in as' : 'Under the account'}</Word>
          <Select
            label="Account"
            hideLabel
            value={account ?? NONE}
            onChange={(name) => define({ account: name === NONE ? null : name })}
            choices={[
              { id: NONE, title: isConnection(action) ? 'nobody' : 'of the agent' },
              ...accounts.map(({ name, userName }) => ({ id: name, title: `${name} (${userName})` })),
            ]}
            error={faultOf('definition.account')}
            width="240px"
          />
          {chosen && (
            <Small style={{ lineHeight: '28px' }}>
              {chosen.everywhere
                ? 'Every agent has it.'
                : chosen.agents.length === 0
                  ? 'No agent has it yet: runs would wait.'
                  : `Only on ${chosen.agents.map(({ name }) => name).join(', ')}.`}
            </Small>
          )}
        </Sentence>
      )}
      {(all.length > 0 || Object.keys(locks).length > 0) && (
        <Sentence>
          <Word>Holding</Word>
          {Object.entries(locks).map(([name, units]) => (
            <Sentence key={name}>
              <NumberField
                label={`Units of ${name}`}
                value={units}
                onChange={(n) => setUnits(name, n)}
                error={undefined}
              />
              <Word>of {name}</Word>
              <Button kind="quiet" aria-label={`Without ${name}`} onPress={() => setUnits(name, null)}>
                ×
              </Button>
            </Sentence>
          ))}
          {free.length > 0 && (
            <Select
              label="Take a lock"
              hideLabel
              value={null}
              placeholder={Object.keys(locks).length === 0 ? 'no lock' : 'and …'}
              onChange={(name) => setUnits(name, 1)}
              choices={free.map(({ name, title, units }) => ({ id: name, title: `${title} (${name}, ${units})` }))}
              error={faultOf('definition.locks')}
              width="220px"
            />
          )}
          <Word>while it runs.</Word>
        </Sentence>
      )}
    </>
  )
}
