'use client'
import type { ReactNode } from 'react'
import type { StepResult } from '@/core/flow/state'
import type { Span } from '@/core/flow/times'
import type { FlowDefinition } from '@/core/work/flow'
import type { FlowMaterial } from '@/service/flows'
import { duration } from '@/ui/format'
import { FlowPicture } from '@/ui/flow/flow-picture'
import type { BarLook } from '@/ui/flow/picture-bar'
import { driftWords, useDrifts } from '@/ui/hooks/drifts'
import { Mute, Panel, Row } from '@/ui/parts/layout'
import type { Model } from './editor-model'
import type { Rehearsing } from './rehearse-tab'

/** The flow as it usually goes, or as the rehearsal says. */
export function EditorPicture({
  model,
  material,
  definition,
  rehearsal,
  chosenPath,
  onChoose,
  onLink,
  tools,
}: {
  model: Model
  material: FlowMaterial
  definition: FlowDefinition
  rehearsal: Rehearsing
  chosenPath: string | null
  onChoose: (path: string) => void
  onLink: ((from: string, to: string) => void) | undefined
  tools: ReactNode
}): ReactNode {
  const drifts = useDrifts()
  const { plan } = model
  if (!plan || plan.steps.length === 0)
    return (
      <Panel style={{ padding: 12 }}>
        <Row>
          {tools}
          <Mute>
            {plan ? 'The picture grows with the steps.' : 'The steps lead in a circle or share a name: see Problems.'}
          </Mute>
        </Row>
      </Panel>
    )
  const titles = new Map(material.jobs.map((job) => [job.slug, job.title]))
  const jobIds = new Map(material.jobs.map((job) => [job.slug, job.id]))
  const flowTitles = new Map(material.flows.map((flow) => [flow.slug, flow.title]))
  const result = rehearsal.isOn && typeof rehearsal.result === 'object' ? rehearsal.result : null
  const times = result
    ? model.times.map((time, i): Span => {
        const ran = result.times.get(plan.steps[i]?.path ?? '')
        return ran ? { start: ran.start * 1000, end: ran.end * 1000 } : { start: time.start, end: time.start }
      })
    : model.times
  const badSteps = new Set(
    model.faults.flatMap(({ path }) => definition.steps[Number(/^steps\[(\d+)\]/.exec(path)?.[1] ?? -1)]?.id ?? []),
  )
  const lookOf = (index: number): BarLook => {
    const step = plan.steps[index] as (typeof plan.steps)[number]
    const stands = result?.steps.get(step.path) ?? null
    const time = times[index] as Span
    const drift = result ? undefined : drifts.get(jobIds.get(step.job ?? '') ?? 0)
    return {
      title:
        step.definition.title ?? titles.get(step.job ?? '') ?? flowTitles.get(step.flow ?? '') ?? step.definition.id,
      detail: stands?.reason
        ? REASONS[stands.reason]
        : [
            duration(time.end - time.start),
            drift ? `${drift.change > 0 ? 'slower' : 'quicker'}: ${driftWords(drift)}` : '',
          ]
            .filter(Boolean)
            .join(' · '),
      state: result ? (stands?.state ?? 'waiting') : step.isOff ? 'skipped' : 'planned',
      tolerated: stands?.tolerated ?? false,
      gate: step.gate === null ? null : gateOf(stands, result !== null),
      hasFault: badSteps.has(step.path),
    }
  }
  const chosen = chosenPath === null ? null : (plan.byPath.get(chosenPath) ?? null)
  return (
    <FlowPicture
      label={rehearsal.isOn ? 'The flow in rehearsal' : 'The flow as it usually goes'}
      steps={model.drawn}
      times={times}
      usual={model.times}
      decides={result ? new Set() : model.decides}
      lookOf={lookOf}
      chosen={chosen}
      onChoose={(index) => onChoose(plan.steps[index]?.path ?? '')}
      begins={{ at: 0, text: 'begins' }}
      maxHeight="max(200px, 44vh)"
      tools={tools}
      {...(onLink
        ? {
            onLink: (from: number, to: number) => {
              const [a, b] = [plan.steps[from], plan.steps[to]]
              if (a && b && a.parent < 0 && b.parent < 0) onLink(a.path, b.path)
            },
          }
        : {})}
    />
  )
}

const REASONS = { gate: 'gate closed', off: 'switched off', 'passed-over': 'passed over' } as const

function gateOf(stands: StepResult | null, isRehearsed: boolean): NonNullable<BarLook['gate']> {
  if (!isRehearsed || !stands || stands.state === 'waiting') return 'unknown'
  return stands.reason === 'gate' ? 'closed' : 'open'
}
