'use client'
import { memo, type ReactNode } from 'react'
import { groupStep } from '@/core/flow/edit'
import type { FlowDefinition, FlowStep } from '@/core/work/flow'
import { Select } from '@/ui/parts/select'
import { Stack } from '@/ui/parts/layout'
import { NumberField } from '@/ui/parts/number-field'
import { Part, Sentence, Word } from '@/ui/parts/sentence'
import { GroupField, LengthField, type Define, type FaultOf, type SetStep } from './step-fields'

/** What comes of a step’s failure: it is tried again, then it or its group says where that leads. */
export const StepFailure = memo(function StepFailure({
  id,
  isJob,
  retry,
  onFailure,
  group,
  targets,
  groupTargets,
  faultOf,
  onSet,
  onDefine,
}: {
  id: string
  isJob: boolean
  retry: FlowStep['retry']
  onFailure: FlowStep['onFailure']
  group: FlowDefinition['groups'][number] | undefined
  /** Names of the steps that its failure can lead to. */
  targets: readonly string[]
  /** Those that the failure of a step of its group can lead to. */
  groupTargets: readonly string[]
  faultOf: FaultOf
  onSet: SetStep
  onDefine: Define
}): ReactNode {
  return (
    <Part aria-label="Failure">
      <h2>If it fails</h2>
      <Stack $gap={6}>
        {isJob && (
          <Sentence>
            <Word>it is tried again</Word>
            <Select
              label="Retries"
              hideLabel
              value={retry ? 'own' : 'job'}
              onChange={(how) => onSet({ retry: how === 'own' ? { times: 1, delay: 'PT30S' } : undefined }, 'retry')}
              choices={[
                { id: 'job', title: 'as its job says' },
                { id: 'own', title: 'this often:' },
              ]}
              width="140px"
            />
            {retry && (
              <>
                <NumberField
                  label="Times"
                  value={retry.times}
                  onChange={(times) => onSet({ retry: { ...retry, times } }, 'retry')}
                  error={faultOf('retry.times')}
                />
                <Word>times, after</Word>
                <LengthField
                  label="Delay"
                  value={retry.delay}
                  onChange={(delay) => onSet({ retry: { ...retry, delay: delay ?? '' } }, 'retry')}
                  error={faultOf('retry.delay')}
                />
              </>
            )}
          </Sentence>
        )}
        <Sentence>
          <Word>then</Word>
          <Select
            label="Then"
            hideLabel
            value={onFailure === undefined ? 'group' : typeof onFailure === 'object' ? 'goTo' : onFailure}
            onChange={(how) => {
              const first = targets[0]
              if (how === 'goTo') {
                if (first !== undefined) onSet({ onFailure: { goTo: first } }, 'onFailure')
              } else onSet({ onFailure: how === 'group' ? undefined : (how as FlowStep['onFailure']) }, 'onFailure')
            }}
            choices={[
              {
                id: 'group',
                title: group?.onFailure
                  ? `as group ${group.id} says`
                  : 'the flow fails; what waits for its success is passed over',
              },
              ...(group?.onFailure ? [{ id: 'fail', title: 'the flow fails' }] : []),
              { id: 'carryOn', title: 'carry on as if it had succeeded' },
              { id: 'goTo', title: 'go to a step' },
              { id: 'endFlow', title: 'end the flow: start nothing more of it' },
            ]}
            width="330px"
          />
          {typeof onFailure === 'object' && (
            <Select
              label="Step that a failure leads to"
              hideLabel
              value={onFailure.goTo}
              onChange={(goTo) => onSet({ onFailure: { goTo } }, 'onFailure')}
              choices={[...new Set([onFailure.goTo, ...targets])].map((to) => ({ id: to, title: to }))}
              error={faultOf('onFailure')}
              width="190px"
            />
          )}
        </Sentence>
        <Sentence>
          <Word>it is in the group</Word>
          <GroupField
            group={group?.id ?? ''}
            onChange={(to) => onDefine((flow) => groupStep(flow, id, to === '' ? null : to), 'group')}
          />
          {group && (
            <Select
              label={`If a step of ${group.id} fails`}
              hideLabel
              value={
                group.onFailure === undefined
                  ? 'fail'
                  : typeof group.onFailure === 'object'
                    ? `goTo ${group.onFailure.goTo}`
                    : group.onFailure
              }
              onChange={(how) =>
                onDefine(
                  (flow) => ({
                    ...flow,
                    groups: flow.groups.map((each) =>
                      each.id === group.id
                        ? { ...each, onFailure: how.startsWith('goTo ') ? { goTo: how.slice(5) } : (how as 'fail') }
                        : each,
                    ),
                  }),
                  'group',
                )
              }
              choices={[
                { id: 'fail', title: 'whose failure fails the flow' },
                { id: 'carryOn', title: 'whose failures are carried over' },
                { id: 'endFlow', title: 'whose failure ends the flow' },
                ...groupTargets.map((to) => ({ id: `goTo ${to}`, title: `whose failure leads to ${to}` })),
              ]}
              width="260px"
            />
          )}
        </Sentence>
      </Stack>
    </Part>
  )
})
