'use client'
import { memo, useLayoutEffect, useRef, type ReactNode } from 'react'
import type { FlowDefinition, FlowStep } from '@/core/work/flow'
import { gateOn } from '@/core/flow/edit'
import type { FlowMaterial } from '@/service/work/flows'
import { GATE_TYPE } from '@/app/shared/flow/use-drags'
import { Beside } from '@/ui/parts/dialog'
import { Small } from '@/ui/parts/layout'
import { Table } from '@/ui/parts/table'

export interface Gating {
  readonly material: FlowMaterial
  readonly definition: FlowDefinition
  readonly chosen: string | null
  readonly onGate: (gate: FlowStep['gate'], step: string) => void
}
interface Offer {
  readonly id: string
  readonly title: string
  readonly detail: string
  readonly gate: FlowStep['gate']
}

/** Every condition that a step can have at its head by one choice: a calendar's days, or an input as it is usually given. */
function offersOf({ calendars }: FlowMaterial, { inputs }: FlowDefinition): Offer[] {
  return [
    ...calendars.map(({ slug, title }) => ({
      id: `days ${slug}`,
      title,
      detail: 'on the days of this calendar',
      gate: { days: { calendar: slug } },
    })),
    ...inputs
      .filter(({ type }) => type !== 'secret')
      .map((input) => ({
        id: `input ${input.name}`,
        title: input.title || input.name,
        detail: 'an input of the flow; then say which value',
        gate: gateOn(input),
      })),
    { id: 'none', title: 'Always', detail: 'no condition', gate: undefined },
  ]
}

/** The condition that was dragged; undefined: there is none of that name any more. */
export const offered = (id: string, material: FlowMaterial, definition: FlowDefinition): Offer | undefined =>
  offersOf(material, definition).find((offer) => offer.id === id)

/** A gate for the chosen step, or for the one that it is dragged onto. */
export const SetGate = memo(function SetGate({
  material,
  definition,
  chosen,
  onClose,
  onGate,
}: Gating & { onClose: () => void }): ReactNode {
  const list = useRef<HTMLDivElement>(null)
  // Whenever it is shown.
  useLayoutEffect(() => list.current?.querySelector<HTMLElement>('tr[tabindex]')?.focus(), [])
  return (
    <Beside
      title="Set a gate"
      hint={
        chosen === null
          ? 'Drag one onto a step; or choose a step, then one of these.'
          : `Enter or a click sets it at the head of ${chosen}. Or drag one onto another step.`
      }
      onClose={onClose}
    >
      <div ref={list} style={{ flex: 1, minHeight: 120, display: 'flex', flexDirection: 'column' }}>
        <Table
          label="When the step goes ahead"
          rows={offersOf(material, definition)}
          onOpen={({ gate }) => {
            if (chosen === null) return
            onGate(gate, chosen)
            onClose()
          }}
          onDragStart={({ id }, transfer) => {
            transfer.setData(GATE_TYPE, id)
            transfer.effectAllowed = 'copy'
          }}
          columns={[
            { id: 'title', title: 'Only if', cell: ({ title }) => <b>{title}</b> },
            { id: 'detail', title: '', cell: ({ detail }) => <Small>{detail}</Small> },
          ]}
        />
      </div>
    </Beside>
  )
})
