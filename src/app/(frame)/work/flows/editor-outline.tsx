'use client'
import { memo, useMemo, type KeyboardEvent, type ReactNode } from 'react'
import styled from 'styled-components'
import type { Fault } from '@/core/schema/faults'
import type { FlowDefinition, FlowStep } from '@/core/work/flow'
import type { FlowMaterial } from '@/service/work/flows'
import { Mute, Small } from '@/ui/parts/layout'
import { stepOfFault, workTitles } from './editor-model'

const List = styled.ul`
  padding: 6px 0;
`
const Item = styled.li<{ $chosen: boolean }>`
  /* Of hundreds of steps only those in sight are laid out. */
  content-visibility: auto;
  contain-intrinsic-height: 26px;
  button {
    all: unset;
    box-sizing: border-box;
    display: flex;
    gap: 8px;
    align-items: baseline;
    width: 100%;
    padding: 4px 12px;
    cursor: pointer;
    border-left: 3px solid ${(p) => (p.$chosen ? 'var(--brass)' : 'transparent')};
    background: ${(p) => (p.$chosen ? 'var(--shelf)' : 'transparent')};
  }
  button:hover {
    background: var(--shelf);
  }
  button:focus-visible {
    outline: 2px solid var(--brass);
    outline-offset: -2px;
  }
  span.rest {
    flex: 1;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
`

/** The same steps as a list: arrow keys go through it, Delete takes a step out. */
export const EditorOutline = memo(function EditorOutline({
  definition,
  material,
  faults,
  chosen,
  onChoose,
  onRemove,
}: {
  definition: FlowDefinition
  material: FlowMaterial
  faults: readonly Fault[]
  chosen: string | null
  /** The same function each time: what has not changed is not drawn again. */
  onChoose: (id: string) => void
  onRemove: ((id: string) => void) | undefined
}): ReactNode {
  const titles = useMemo(() => workTitles(material), [material])
  if (definition.steps.length === 0)
    return (
      <Mute style={{ display: 'block', padding: 14 }}>
        No step yet. A flow is made of jobs and of other flows: add one, then what comes after it.
      </Mute>
    )
  const faulty = new Set(faults.map(stepOfFault))
  return (
    <List aria-label="Steps">
      {definition.steps.map((step, i) => (
        <Row
          key={step.id}
          step={step}
          runs={titles.get(step.job === undefined ? `flow ${step.flow}` : `job ${step.job}`)}
          isChosen={step.id === chosen}
          hasFault={faulty.has(i)}
          onChoose={onChoose}
          onRemove={onRemove}
        />
      ))}
    </List>
  )
})

const Row = memo(function Row({
  step,
  runs,
  isChosen,
  hasFault,
  onChoose,
  onRemove,
}: {
  step: FlowStep
  runs: string | undefined
  isChosen: boolean
  hasFault: boolean
  onChoose: (id: string) => void
  onRemove: ((id: string) => void) | undefined
}): ReactNode {
  const onKeyDown = (event: KeyboardEvent): void => {
    if (event.key === 'Delete') onRemove?.(step.id)
    const to = { ArrowDown: 'nextElementSibling', ArrowUp: 'previousElementSibling' }[event.key] as
      'nextElementSibling' | undefined
    const next = to && (event.currentTarget.parentElement?.[to]?.firstElementChild as HTMLElement | null)
    if (!next) return
    event.preventDefault()
    next.focus()
    next.click()
  }
  const rest = [runs, step.after ? `after ${step.after.map((link) => link.step).join(', ')}` : null]
  return (
    <Item $chosen={isChosen}>
      <button type="button" aria-current={isChosen} onClick={() => onChoose(step.id)} onKeyDown={onKeyDown}>
        <b>{step.title ?? step.id}</b>
        <span className="rest">
          <Small>{rest.filter(Boolean).join(' · ')}</Small>
        </span>
        {step.gate !== undefined && <span aria-label="has a gate">◇</span>}
        {hasFault && (
          <span style={{ color: 'var(--failed)' }} aria-label="has a problem">
            ●
          </span>
        )}
      </button>
    </Item>
  )
})
