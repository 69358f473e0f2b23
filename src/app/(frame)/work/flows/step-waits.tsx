'use client'
import { memo, type ReactNode } from 'react'
import type { FlowStep } from '@/core/work/flow'
import { Button } from '@/ui/parts/button'
import { Select } from '@/ui/parts/select'
import { Stack } from '@/ui/parts/layout'
import { Part, Sentence, Word } from '@/ui/parts/sentence'
import type { FaultOf, SetStep } from './step-fields'

type Links = NonNullable<FlowStep['after']>

const WHENS = [
  { id: 'succeeded', title: 'has succeeded' },
  { id: 'failed', title: 'has failed' },
  { id: 'ended', title: 'has ended either way' },
  { id: 'over', title: 'is over, even if passed over' },
]
const NONE: Links = []

/** Which earlier steps a step waits for, and how they must have ended. */
export const StepWaits = memo(function StepWaits({
  after = NONE,
  join,
  free,
  isRoutedTo,
  faultOf,
  onSet,
}: {
  after: Links | undefined
  join: FlowStep['join']
  /** Names of the steps that it could wait for besides. */
  free: readonly string[]
  isRoutedTo: boolean
  faultOf: FaultOf
  onSet: SetStep
}): ReactNode {
  const setAfter = (next: Links, what: string): void => onSet({ after: next.length > 0 ? next : undefined }, what)
  return (
    <Part aria-label="Waits for">
      <h2>Begins when</h2>
      <Stack $gap={6}>
        {after.length === 0 && <Word>{isRoutedTo ? 'a failure leads to it' : 'the flow begins'}</Word>}
        {after.map((link, i) => (
          <Sentence key={link.step}>
            {i > 0 && <Word style={{ minWidth: 40 }}>{join === 'any' ? 'or' : 'and'}</Word>}
            <Select
              label={`Earlier step ${i + 1}`}
              hideLabel
              value={link.step}
              onChange={(id) =>
                setAfter(
                  after.map((each) => (each === link ? { ...each, step: id } : each)),
                  'link',
                )
              }
              choices={[link.step, ...free].map((id) => ({ id, title: id }))}
              error={faultOf(`after[${i}]`)}
              width="190px"
            />
            <Select
              label={`How ${link.step} must have ended`}
              hideLabel
              value={link.when}
              onChange={(when) =>
                setAfter(
                  after.map((each) => (each === link ? { ...each, when: when as typeof link.when } : each)),
                  'when',
                )
              }
              choices={WHENS}
              width="210px"
            />
            <Button
              kind="quiet"
              aria-label={`No longer wait for ${link.step}`}
              onPress={() =>
                setAfter(
                  after.filter((each) => each !== link),
                  'unlink',
                )
              }
            >
              ×
            </Button>
          </Sentence>
        ))}
        <Sentence>
          {free.length > 0 && (
            <Select
              label="Wait for another step"
              hideLabel
              value={null}
              placeholder="wait for …"
              onChange={(id) => setAfter([...after, { step: id, when: 'succeeded' }], 'link')}
              choices={free.map((id) => ({ id, title: id }))}
              width="190px"
            />
          )}
          {after.length > 1 && (
            <Select
              label="How many of them"
              hideLabel
              value={join}
              onChange={(join) => onSet({ join: join as FlowStep['join'] }, 'join')}
              choices={[
                { id: 'all', title: 'all of these' },
                { id: 'any', title: 'any one of these' },
              ]}
              width="150px"
            />
          )}
        </Sentence>
      </Stack>
    </Part>
  )
})
