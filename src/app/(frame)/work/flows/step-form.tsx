'use client'
import { memo, useCallback, useMemo, type ReactNode } from 'react'
import { reach, renameStep } from '@/core/flow/edit'
import type { Fault } from '@/core/schema/faults'
import type { FlowDefinition, FlowStep } from '@/core/work/flow'
import type { FlowMaterial } from '@/service/work/flows'
import { useDrifts } from '@/app/shared/work/drifts'
import { useLatest } from '@/ui/hooks/latest'
import { Button } from '@/ui/parts/button'
import { DriftMark } from '@/app/shared/work/drift-mark'
import { Select } from '@/ui/parts/select'
import { TextField } from '@/ui/parts/fields'
import { Row, Small, Spring, Stack } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { Part, Sentence } from '@/ui/parts/sentence'
import { writeLength } from './editor-model'
import { GateFields } from './gate-fields'
import { StepFailure } from './step-failure'
import { LengthField, NameField, type Define, type FaultOf, type SetStep } from './step-fields'
import { StepValues } from './step-values'
import { StepWaits } from './step-waits'

interface Props {
  readonly step: FlowStep
  /** May be a moment older than the step. */
  readonly definition: FlowDefinition
  readonly material: FlowMaterial
  readonly faults: readonly Fault[]
  /** A step inside this one, which is a flow, is chosen. */
  readonly isInside: boolean
  readonly onChange: (step: FlowStep, what: string) => void
  readonly onDefine: Define
  readonly onRename: (id: string) => void
  readonly onRemove: (id: string) => void
}

/**
 * One step in sentences: what it runs, what it waits for, its gate, and what its failure leads to. Each part is drawn again only when what it shows is another:
 * give it the same functions each time.
 */
export const StepForm = memo(function StepForm({
  step,
  definition,
  material,
  faults,
  isInside,
  onChange,
  onDefine,
  onRename,
  onRemove,
}: Props): ReactNode {
  const drifts = useDrifts()
  const job = material.jobs.find(({ slug }) => slug === step.job)
  const inner = material.flows.find(({ slug }) => slug === step.flow)
  const inputs = job?.inputs ?? inner?.definition.inputs ?? []
  const index = definition.steps.findIndex(({ id }) => id === step.id)
  const faultOf: FaultOf = useCallback(
    (key) => {
      const at = `steps[${index}].${key}`
      return faults.find(({ path }) => path === at || path.startsWith(`${at}.`) || path.startsWith(`${at}[`))?.message
    },
    [faults, index],
  )
  const group = definition.groups.find(({ steps }) => steps.includes(step.id))
  const { free, targets, groupTargets, isRoutedTo, before } = useMemo(() => {
    const reached = reach(definition)
    const besides = (taken: ReadonlySet<string>): string[] =>
      definition.steps.flatMap(({ id }) => (id === step.id || taken.has(id) ? [] : [id]))
    const aheadOfGroup = reached(group?.steps ?? [], 'back')
    const ahead = reached([step.id], 'back')
    return {
      before: definition.steps.flatMap(({ id }) => (ahead.has(id) && id !== step.id ? [id] : [])),
      free: besides(new Set([...reached([step.id]), ...(step.after ?? []).map((link) => link.step)])),
      targets: besides(reached([step.id], 'back')),
      groupTargets: definition.steps.flatMap(({ id }) => (aheadOfGroup.has(id) ? [] : [id])),
      isRoutedTo: definition.steps.some(({ onFailure }) => typeof onFailure === 'object' && onFailure.goTo === step.id),
    }
  }, [definition, step.id, step.after, group])
  const onSet: SetStep = useLatest((change, what) => {
    const next = Object.entries({ ...step, ...change }).filter(([, value]) => value !== undefined)
    onChange(Object.fromEntries(next) as FlowStep, what)
  })
  return (
    <Stack $gap={12} style={{ padding: '10px 14px' }}>
      {isInside && (
        <Small>
          The chosen step lies in the flow {inner?.title ?? step.flow}.{' '}
          {inner && <Link href={`/work/flows/${inner.id}`}>Change it there.</Link>}
        </Small>
      )}
      <Sentence>
        <NameField
          step={step}
          taken={definition.steps.flatMap(({ id }) => (id === step.id ? [] : [id]))}
          error={faultOf('id')}
          onRename={(id) => {
            onDefine((flow) => renameStep(flow, step.id, id), 'rename')
            onRename(id)
          }}
        />
        <Select
          label="runs"
          value={step.job === undefined ? `flow ${step.flow}` : `job ${step.job}`}
          onChange={(key) => {
            const [kind, slug] = key.split(' ') as ['job' | 'flow', string]
            onSet({ job: undefined, flow: undefined, with: undefined, [kind]: slug }, 'runs')
          }}
          choices={[
            ...material.jobs.map((each) => ({ id: `job ${each.slug}`, title: `${each.title} (${each.area})` })),
            ...material.flows.map((each) => ({ id: `flow ${each.slug}`, title: `${each.title} (flow)` })),
          ]}
          error={faultOf('job') ?? faultOf('flow')}
          width="270px"
        />
        <TextField
          label="shown as"
          value={step.title ?? ''}
          onChange={(title) => onSet({ title: title === '' ? undefined : title }, 'title')}
          error={faultOf('title')}
          width="190px"
        />
        <Spring />
        <div style={{ paddingTop: 20 }}>
          <Button kind="danger" onPress={() => onRemove(step.id)}>
            Take out
          </Button>
        </div>
      </Sentence>
      <StepWaits
        after={step.after}
        join={step.join}
        free={free}
        isRoutedTo={isRoutedTo}
        faultOf={faultOf}
        onSet={onSet}
      />
      <GateFields
        gate={step.gate}
        inputs={definition.inputs}
        before={before}
        calendars={material.calendars}
        faultOf={faultOf}
        onSet={onSet}
      />
      {inputs.length > 0 && (
        <StepValues
          inputs={inputs}
          given={step.with}
          flowInput={definition.inputs[0]?.name}
          faultOf={faultOf}
          onSet={onSet}
        />
      )}
      <StepFailure
        id={step.id}
        isJob={step.flow === undefined}
        retry={step.retry}
        onFailure={step.onFailure}
        group={group}
        targets={targets}
        groupTargets={groupTargets}
        faultOf={faultOf}
        onSet={onSet}
        onDefine={onDefine}
      />
      <Part aria-label="Length">
        <h2>Usually takes</h2>
        <Row>
          <LengthField
            label="Usual length until there are runs"
            value={typeof step.expect === 'string' ? step.expect : undefined}
            onChange={(expect) => onSet({ expect }, 'expect')}
            error={faultOf('expect')}
          />
          <Small>
            until runs have shown how long{job?.usualMs ? `; now ${writeLength(Math.round(job.usualMs / 1000))}` : ''}
          </Small>
          <DriftMark drift={drifts.get(job?.id ?? 0)} inWords />
        </Row>
      </Part>
    </Stack>
  )
})
