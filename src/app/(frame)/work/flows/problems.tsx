'use client'
import type { ReactNode } from 'react'
import type { Fault } from '@/core/schema/faults'
import type { FlowDefinition } from '@/core/work/flow'
import { Button } from '@/ui/parts/button'
import { Mono, Mute, Row, SCROLLS, Stack } from '@/ui/parts/layout'
import { stepOfFault } from './editor-model'

/** What is wrong, each leading to its place. */
export function Problems({
  faults,
  definition,
  onChoose,
}: {
  faults: readonly Fault[]
  definition: FlowDefinition
  onChoose: (id: string) => void
}): ReactNode {
  if (faults.length === 0) return <Mute style={{ padding: 14 }}>Nothing is wrong with this flow.</Mute>
  return (
    <Stack $gap={4} style={{ padding: 12, ...SCROLLS }}>
      {faults.map(({ path, message }, i) => {
        const step = definition.steps[stepOfFault({ path })]
        return (
          <Row key={i}>
            {step ? (
              <Button kind="quiet" onPress={() => onChoose(step.id)}>
                {step.id}
              </Button>
            ) : (
              <Mono>{path || 'flow'}</Mono>
            )}
            <span style={{ color: 'var(--failed)' }}>{message}</span>
          </Row>
        )
      })}
    </Stack>
  )
}
