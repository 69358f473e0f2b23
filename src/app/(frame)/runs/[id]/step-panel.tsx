'use client'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { describeReason, type Reason } from '@/core/dispatch/describe'
import type { FlowStepView } from '@/service/flows/flow-run-view'
import type { FlowRunFull, RunFull } from '@/service/runs/run-page'
import { api } from '@/ui/api'
import { clock, clockSeconds, duration } from '@/ui/format'
import { useAddress } from '@/ui/hooks/address'
import { useMe } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { Mono, Mute, Row, Small, Spring, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { StateMark } from '@/ui/parts/state-mark'
import { REASONS } from './flow-outline'
import { whyStepWaits } from './flow-model'
import { RunTabs } from './run-tabs'
import { StepActions } from './step-actions'
import { waitedMs } from './waited'

/** The chosen step of a flow run: what it is, what may be done with it, and all about its newest run. */
export function StepPanel({
  run,
  step,
  steps,
  onClose,
}: {
  run: FlowRunFull
  step: FlowStepView
  steps: readonly FlowStepView[]
  onClose: () => void
}): ReactNode {
  const { values } = useAddress()
  const { data, error } = useQuery({
    queryKey: ['run', step.runId],
    queryFn: () => api.get<RunFull>(`/runs/${step.runId}`),
    enabled: step.runId !== null,
  })
  const stepRun = step.runId === null ? undefined : data
  const waited = stepRun ? waitedMs(stepRun) : null
  const attempt = stepRun?.tries.find(({ number }) => number === Number(values.try)) ?? stepRun?.tries.at(-1)
  return (
    <>
      <Row style={{ padding: '8px 12px 2px' }} $wrap>
        <StateMark mark={step.heldBy && !step.endedAt && step.state !== 'running' ? 'held' : step.state} />
        <b>{step.title}</b>
        <Mono>{step.path}</Mono>
        <Small>
          {[
            step.agent,
            waited === null ? null : `waited ${duration(waited)}`,
            step.attempts > 1 ? `${step.attempts} tries` : null,
            stepRun?.exitCode === null || stepRun?.exitCode === undefined ? null : `exit ${stepRun.exitCode}`,
            step.tolerated ? 'its failure is tolerated' : null,
            step.marked ? `marked by ${step.marked.by}: ${step.marked.why}` : null,
          ]
            .filter(Boolean)
            .join(' · ')}
        </Small>
        {step.runId !== null && (
          <Link href={`/runs/${step.runId}`}>
            <Mono>#{step.runId}</Mono>
          </Link>
        )}
        <Spring />
        <StepActions run={run} step={step} all={steps} />
        <Button kind="quiet" onPress={onClose}>
          The whole flow
        </Button>
      </Row>
      <WhyStep step={step} steps={steps} />
      <Trouble error={error} />
      {stepRun ? (
        <RunTabs run={stepRun} attempt={attempt} />
      ) : (
        step.runId === null && (
          <Mute style={{ padding: '10px 12px' }}>
            {step.reason
              ? `Skipped: ${REASONS[step.reason]}${step.gate && step.reason === 'gate' ? ` (${step.gate})` : ''}.`
              : step.flow !== null
                ? 'A flow: choose one of its steps.'
                : step.state === 'cancelled'
                  ? 'Cancelled before it started.'
                  : 'It has not started yet. What it writes appears here as it comes.'}
          </Mute>
        )
      )}
    </>
  )
}

function WhyStep({ step, steps }: { step: FlowStepView; steps: readonly FlowStepView[] }): ReactNode {
  const { zone } = useMe()
  const { data } = useQuery({
    queryKey: ['run', step.runId, 'why'],
    queryFn: () => api.get<{ reason: Reason | null }>(`/runs/${step.runId}/why`),
    enabled: step.runId !== null && step.state === 'ready',
    refetchInterval: 3000,
  })
  const sentence =
    step.state === 'ready'
      ? data?.reason
        ? describeReason(data.reason, (at) => clock(at, zone))
        : 'It starts in a moment.'
      : (whyStepWaits(step, steps) ??
        (step.state === 'running' && step.runState === 'waiting'
          ? `Waits for its next try${step.startAfter ? ` at ${clockSeconds(step.startAfter, zone)}` : ''}. ${step.runReason}`
          : null))
  if (!sentence) return null
  return (
    <div style={{ padding: '4px 12px', margin: '2px 12px', borderLeft: '4px solid var(--brass)' }} role="status">
      <b>Why is it waiting?</b> {sentence}
      {step.willSkip === 'off' && ' Then it is skipped: its job is switched off.'}
      {step.willSkip === 'outer' && ' Then it is skipped, as the flow step that it lies in is.'}
      {step.willSkip === 'gate' && ` Then it is skipped: it runs ${step.gate}, and the run’s day is none of those.`}
      {step.gate && step.state === 'waiting' && !step.willSkip && ` Then it looks at its gate: ${step.gate}.`}
    </div>
  )
}
