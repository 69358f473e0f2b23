'use client'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import type { Fault } from '@/core/schema/faults'
import type { FlowDefinition } from '@/core/work/flow'
import type { FlowMaterial } from '@/service/flows'
import { Mute, Small } from '@/ui/parts/layout'

const List = styled.ul`
  padding: 6px 0;
`
const Item = styled.li<{ $chosen: boolean }>`
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
export function EditorOutline({
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
  onChoose: (id: string) => void
  onRemove: ((id: string) => void) | undefined
}): ReactNode {
  if (definition.steps.length === 0)
    return (
      <Mute style={{ display: 'block', padding: 14 }}>
        No step yet. A flow is made of jobs and of other flows: add one, then what comes after it.
      </Mute>
    )
  const titles = new Map([
    ...material.jobs.map((job) => [`job ${job.slug}`, job.title] as const),
    ...material.flows.map((flow) => [`flow ${flow.slug}`, flow.title] as const),
  ])
  return (
    <List aria-label="Steps">
      {definition.steps.map((step, i) => (
        <Item key={step.id} $chosen={step.id === chosen}>
          <button
            type="button"
            aria-current={step.id === chosen}
            onClick={() => onChoose(step.id)}
            onKeyDown={(event) => {
              if (event.key === 'Delete' && onRemove) onRemove(step.id)
              const to = { ArrowDown: 'nextElementSibling', ArrowUp: 'previousElementSibling' }[event.key] as
                'nextElementSibling' | undefined
              const next = to && (event.currentTarget.parentElement?.[to]?.firstElementChild as HTMLElement | null)
              if (!next) return
              event.preventDefault()
              next.focus()
              next.click()
            }}
          >
            <b>{step.title ?? step.id}</b>
            <span className="rest">
              <Small>
                {[
                  titles.get(step.job === undefined ? `flow ${step.flow}` : `job ${step.job}`),
                  step.after ? `after ${step.after.map((link) => link.step).join(', ')}` : null,
                ]
                  .filter(Boolean)
                  .join(' · ')}
              </Small>
            </span>
            {step.gate !== undefined && <span aria-label="has a gate">◇</span>}
            {faults.some(({ path }) => path === `steps[${i}]` || path.startsWith(`steps[${i}].`)) && (
              <span style={{ color: 'var(--failed)' }} aria-label="has a problem">
                ●
              </span>
            )}
          </button>
        </Item>
      ))}
    </List>
  )
}
