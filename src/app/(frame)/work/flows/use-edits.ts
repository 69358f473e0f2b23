'use client'
import {
  addStep,
  changeStep,
  freeStepId,
  gateStep,
  groupStep,
  groupWith,
  linkSteps,
  removeStep,
  routeStep,
  type Place,
} from '@/core/flow/edit'
import type { FlowDefinition, FlowStep } from '@/core/work/flow'
import type { FlowMaterial } from '@/service/work/flows'
import type { Tie } from '@/app/shared/flow/use-drags'
import { useSay } from '@/ui/frame/announcer'
import { useLatest } from '@/ui/hooks/latest'
import { offered } from './set-gate'

const TIES = { link: linkSteps, route: routeStep, group: groupWith }

/** What can be done to a flow that is being built; each is the same function at each drawing. */
export interface Edits {
  readonly onDefine: (edit: (flow: FlowDefinition) => FlowDefinition, what: string) => void
  readonly onStep: (step: FlowStep, what: string) => void
  readonly onAdd: (work: string, place: Place) => void
  readonly onRemove: (id: string) => void
  /** Ties a step to the one it is dropped on; null: takes it out of its group. */
  readonly onTie: (from: string, to: string | null, how: Tie) => void
  readonly onGate: (gate: FlowStep['gate'], id: string) => void
  readonly onDropGate: (dropped: string, id: string) => void
}

/**
 * The edits of the picture, the list and the forms on one definition.
 * @param define takes the flow as it becomes, and what was done: quick changes of the same are undone together.
 */
export function useEdits(
  definition: FlowDefinition,
  define: (next: FlowDefinition, what: string) => void,
  choose: (id: string | null) => void,
  material: FlowMaterial,
): Edits {
  const say = useSay()
  const groupOf = (flow: FlowDefinition, id: string): FlowDefinition['groups'][number] | undefined =>
    flow.groups.find(({ steps }) => steps.includes(id))

  const sayGroup = (next: FlowDefinition, id: string): void => {
    const group = groupOf(next, id)
    say(
      group
        ? `${id} is in the group ${group.id}, with ${group.steps.filter((other) => other !== id).join(', ')}.`
        : `${id} is no longer in the group ${groupOf(definition, id)?.id}.`,
    )
  }
  const tie = (from: string, to: string | null, how: Tie): void => {
    if (to === null && !groupOf(definition, from)) return
    const tied = to === null ? groupStep(definition, from, null) : TIES[how](definition, from, to)
    if (tied && tied !== definition) define(tied, `${how} ${from} ${to}`)
    if (tied && how === 'group') sayGroup(tied, from)
    else if (!tied && from !== to)
      say(`${to} leads to ${from} already: a ${how} back would go in a circle.`, { bad: true })
  }
  const gate = (next: FlowStep['gate'], id: string): void => {
    define(gateStep(definition, id, next), `gate ${id}`)
    choose(id)
  }
  const add = (work: string, place: Place): void => {
    const [kind, slug] = work.split(' ') as ['job' | 'flow', string]
    const id = freeStepId(definition, slug)
    define(addStep(definition, kind === 'job' ? { job: slug } : { flow: slug }, id, place), `add ${id}`)
    choose(id)
  }
  return {
    onTie: useLatest(tie),
    onGate: useLatest(gate),
    onDropGate: useLatest((dropped: string, id: string) => {
      const offer = offered(dropped, material, definition)
      if (offer) gate(offer.gate, id)
    }),
    onAdd: useLatest(add),
    onRemove: useLatest((id: string) => {
      define(removeStep(definition, id), `remove ${id}`)
      choose(null)
    }),
    onStep: useLatest((step: FlowStep, what: string) =>
      define(
        changeStep(definition, step.id, () => step),
        `${step.id} ${what}`,
      ),
    ),
    onDefine: useLatest((edit: (flow: FlowDefinition) => FlowDefinition, what: string) =>
      define(edit(definition), what),
    ),
  }
}
