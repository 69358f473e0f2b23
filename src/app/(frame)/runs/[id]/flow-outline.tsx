'use client'
import type { ReactNode } from 'react'
import type { FlowStepView } from '@/service/flows/flow-run-view'
import { duration } from '@/ui/format'
import { Small } from '@/ui/parts/layout'
import { StateWord } from '@/ui/parts/state-mark'
import { Table } from '@/ui/parts/table'
import { Time } from '@/ui/parts/time'
import { whyStepWaits } from './flow-model'

/** The same steps as a list, for reading and for keyboards. */
export function FlowOutline({
  steps,
  onChoose,
}: {
  steps: readonly FlowStepView[]
  onChoose: (index: number) => void
}): ReactNode {
  return (
    <Table
      label="Steps"
      rows={steps.map((step) => ({ ...step, id: step.index }))}
      onOpen={(step) => onChoose(step.index)}
      isDim={(step) => step.state === 'skipped'}
      columns={[
        {
          id: 'title',
          title: 'Step',
          cell: (step) => (
            <span style={{ paddingLeft: (step.path.split('/').length - 1) * 16 }}>
              <b>{step.title}</b> <Small>{step.path}</Small>
            </span>
          ),
        },
        {
          id: 'state',
          title: 'State',
          cell: (step) => (
            <StateWord
              mark={step.heldBy && step.state !== 'running' && !step.endedAt ? 'held' : step.state}
              word={
                step.tolerated ? 'failed, tolerated' : step.reason ? `skipped: ${REASONS[step.reason]}` : step.state
              }
            />
          ),
        },
        { id: 'agent', title: 'Machine', cell: (step) => step.agent ?? '' },
        { id: 'began', title: 'Began', cell: (step) => <Time at={step.startedAt} /> },
        {
          id: 'took',
          title: 'Took',
          align: 'right',
          cell: (step) =>
            step.startedAt && step.endedAt
              ? duration(new Date(step.endedAt).getTime() - new Date(step.startedAt).getTime())
              : '',
        },
        {
          id: 'usual',
          title: 'Usually',
          align: 'right',
          cell: (step) => (step.flow === null && step.usualMs > 0 ? duration(step.usualMs) : ''),
        },
        { id: 'tries', title: 'Tries', align: 'right', cell: (step) => (step.attempts > 1 ? step.attempts : '') },
        {
          id: 'why',
          title: 'Why',
          cell: (step) => (
            <Small>{whyStepWaits(step, steps) ?? (step.state === 'succeeded' ? '' : step.runReason)}</Small>
          ),
        },
      ]}
    />
  )
}

export const REASONS = { gate: 'its gate was closed', off: 'switched off', 'passed-over': 'no way led to it' } as const
