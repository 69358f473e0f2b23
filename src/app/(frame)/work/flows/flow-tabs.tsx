'use client'
import dynamic from 'next/dynamic'
import type { ReactNode } from 'react'
import type { Fault } from '@/core/schema/faults'
import type { FlowContent, FlowDefinition, FlowStep } from '@/core/work/flow'
import type { FlowMaterial } from '@/service/work/flows'
import { useAddress } from '@/ui/hooks/address'
import { Mute, SCROLLS } from '@/ui/parts/layout'
import { Reading } from '@/ui/parts/reading'
import { Tabs } from '@/ui/parts/tabs'
import type { Model } from './editor-model'
import { FlowForm } from './flow-form'
import { Problems } from './problems'
import { StepForm } from './step-form'
import type { Edits } from './use-edits'
import type { Rehearsing } from './use-rehearsal'

const RehearseTab = dynamic(() => import('./rehearse-tab').then((module) => module.RehearseTab))

/** What is known and said of a flow below its picture: the step that is chosen, the flow itself, a rehearsal, what is wrong. */
export function FlowTabs({
  content,
  settled,
  model,
  material,
  rehearsal,
  faults,
  step,
  isInside,
  chosenPath,
  isLocked,
  change,
  faultOf,
  choose,
  edits,
}: {
  content: FlowContent
  /** The flow a moment after the key that changed it. */
  settled: FlowDefinition
  model: Model
  material: FlowMaterial
  rehearsal: Rehearsing
  faults: readonly Fault[]
  /** The step that is chosen, or the one that the chosen one lies in. */
  step: FlowStep | null
  isInside: boolean
  chosenPath: string | null
  isLocked: boolean
  change: (next: Partial<FlowContent>, what: string) => void
  faultOf: (path: string) => string | undefined
  choose: (id: string | null) => void
  edits: Edits
}): ReactNode {
  const { values, set } = useAddress()
  const scrolling = (form: ReactNode): ReactNode => (
    <Reading isOn={isLocked}>
      <div style={SCROLLS}>{form}</div>
    </Reading>
  )
  return (
    <Tabs
      label="About this flow"
      selected={values.tab ?? (step ? 'step' : 'flow')}
      onSelect={(tab) => set({ tab }, 'replace')}
      tabs={[
        {
          id: 'step',
          title: 'Step',
          content: step ? (
            scrolling(
              <StepForm
                key={step.id}
                step={step}
                definition={settled}
                material={material}
                faults={faults}
                isInside={isInside}
                onChange={edits.onStep}
                onDefine={edits.onDefine}
                onRename={choose}
                onRemove={edits.onRemove}
              />,
            )
          ) : (
            <Mute style={{ padding: 14 }}>Choose a step in the picture or the list, or add one.</Mute>
          ),
        },
        {
          id: 'flow',
          title: 'The flow',
          content: scrolling(<FlowForm content={content} change={change} faultOf={faultOf} />),
        },
        {
          id: 'rehearse',
          title: 'Rehearse',
          content: (
            <RehearseTab rehearsal={rehearsal} definition={content.definition} model={model} chosenPath={chosenPath} />
          ),
        },
        {
          id: 'problems',
          title: faults.length > 0 ? `Problems ${faults.length}` : 'Problems',
          content: (
            <Problems
              faults={faults}
              definition={settled}
              onChoose={(id) => set({ step: id, tab: 'step' }, 'replace')}
            />
          ),
        },
      ]}
    />
  )
}
