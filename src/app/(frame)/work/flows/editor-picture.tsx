'use client'
import { memo, useMemo, type ReactNode } from 'react'
import { drawnGroups } from '@/core/flow/fold'
import type { PlanStep } from '@/core/flow/plan'
import type { Rehearsal } from '@/core/flow/rehearse'
import type { Place } from '@/core/flow/edit'
import type { StepResult } from '@/core/flow/state'
import { distinctTitles } from '@/core/flow/titles'
import { rehearsedTimes, timesOf, type Span } from '@/core/flow/times'
import type { FlowDefinition } from '@/core/work/flow'
import type { FlowMaterial } from '@/service/work/flows'
import { duration } from '@/ui/format'
import { FlowPicture } from '@/app/shared/flow/flow-picture'
import type { BarLook } from '@/app/shared/flow/picture-bar'
import type { DropPlace, Tie } from '@/app/shared/flow/use-drags'
import { driftWords, useDrifts } from '@/app/shared/work/drifts'
import { stepOfFault, workTitles, type Model } from './editor-model'

/** The flow as it usually goes, or as the rehearsal says. Drawn again only when what it is given is another: its functions are to be the same each time. */
export const EditorPicture = memo(function EditorPicture({
  model,
  material,
  definition,
  isRehearsed,
  rehearsal,
  chosenPath,
  chosenNow,
  onChoose,
  onTie,
  onDropWork,
  onDropGate,
  tools,
}: {
  model: Model
  material: FlowMaterial
  definition: FlowDefinition
  isRehearsed: boolean
  /** What would happen; null until it is known, or while it cannot be said. */
  rehearsal: Rehearsal | null
  chosenPath: string | null
  chosenNow: () => string | null
  onChoose: (path: string) => void
  onTie: ((from: string, to: string | null, tie: Tie) => void) | undefined
  onDropWork: ((work: string, place: Place) => void) | undefined
  onDropGate: ((gate: string, step: string) => void) | undefined
  tools: ReactNode
}): ReactNode {
  const drifts = useDrifts()
  const { plan } = model
  const shown = useMemo(() => titlesOf(plan?.steps ?? [], material), [plan, material])
  const groups = useMemo(() => drawnGroups(definition.groups, (id) => plan?.byPath.get(id)), [definition.groups, plan])
  // The same picture with and without steps: what stands in its head keeps the focus when the first one comes.
  const steps = plan?.steps ?? []
  const instead = !plan
    ? 'The steps lead in a circle or share a name: see Problems.'
    : steps.length === 0
      ? 'The picture grows with the steps.'
      : undefined
  const jobIds = new Map(material.jobs.map((job) => [job.slug, job.id]))
  const result = isRehearsed ? rehearsal : null
  const { times, decides } = useMemo(
    () =>
      result && plan
        ? rehearsedTimes(model.drawn, (index) => {
            const ran = result.times.get(plan.steps[index]?.path ?? '')
            return ran ? { start: ran.start * 1000, end: ran.end * 1000 } : null
          })
        : model,
    [result, plan, model],
  )
  // What the day keeps from running gets room of its own; what fails or is passed over by a person's choice moves nothing.
  const usual = useMemo(() => {
    if (!result) return model.times
    const reasonOf = (index: number): string | undefined => result.steps.get(plan?.steps[index]?.path ?? '')?.reason
    const isKept = (index: number): boolean => ['gate', 'off'].includes(reasonOf(index) ?? '')
    const lengthOf = (index: number): number => {
      const { start, end } = model.times[index] as Span
      return end - start
    }
    return timesOf(model.drawn, lengthOf, (index) => (isKept(index) ? { isSkipped: true } : null))
  }, [result, plan, model])
  const badSteps = new Set(model.faults.flatMap((fault) => definition.steps[stepOfFault(fault)]?.id ?? []))
  const lookOf = (index: number): BarLook => {
    const step = steps[index] as PlanStep
    const stands = result?.steps.get(step.path) ?? null
    const time = times[index] as Span
    const drift = result ? undefined : drifts.get(jobIds.get(step.job ?? '') ?? 0)
    return {
      title: shown[index] ?? step.path,
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
  const indexOf = (path: string | null): number | null => plan?.byPath.get(path ?? '') ?? null
  const pathOf = (index: number): string => steps[index]?.path ?? ''
  return (
    <FlowPicture
      label={isRehearsed ? 'The flow in rehearsal' : 'The flow as it usually goes'}
      steps={model.drawn}
      times={times}
      usual={usual}
      groups={groups}
      decides={decides}
      lookOf={lookOf}
      chosen={indexOf(chosenPath)}
      chosenNow={() => indexOf(chosenNow())}
      onChoose={(index) => onChoose(pathOf(index))}
      begins={{ at: 0, text: 'begins' }}
      maxHeight="max(200px, 44vh)"
      tools={tools}
      instead={instead}
      onTie={onTie && ((from, to, tie) => onTie(pathOf(from), to === null ? null : pathOf(to), tie))}
      onDropWork={
        onDropWork &&
        ((work: string, place: DropPlace | null) =>
          onDropWork(work, place ? { how: place.side, step: pathOf(place.index) } : { how: 'alone' }))
      }
      onDropGate={onDropGate && ((gate, index) => onDropGate(gate, pathOf(index)))}
    />
  )
})

function titlesOf(steps: readonly PlanStep[], material: FlowMaterial): string[] {
  const titles = workTitles(material)
  return distinctTitles(
    steps.map(({ parent, job, flow, definition: { id, title } }) => ({
      parent,
      id,
      title: title ?? titles.get(flow === null ? `job ${job}` : `flow ${flow}`) ?? id,
    })),
  )
}

const REASONS = { gate: 'gate closed', off: 'switched off', 'passed-over': 'passed over' } as const

function gateOf(stands: StepResult | null, isRehearsed: boolean): NonNullable<BarLook['gate']> {
  if (!isRehearsed || !stands || stands.state === 'waiting') return 'unknown'
  return stands.reason === 'gate' ? 'closed' : 'open'
}
