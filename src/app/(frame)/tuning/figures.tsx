'use client'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import { Small } from '@/ui/parts/layout'

const Cards = styled.dl`
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(150px, 1fr));
  gap: 10px;
  flex: none;
`
const Card = styled.div<{ $bad: boolean }>`
  padding: 8px 12px 10px;
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 3px;
  dt {
    color: var(--mute);
    line-height: 18px;
  }
  dd {
    display: flex;
    gap: 7px;
    align-items: baseline;
    flex-wrap: wrap;
  }
  b {
    font:
      650 19px/24px 'Archivo Variable',
      sans-serif;
    color: ${(p) => (p.$bad ? 'var(--failed)' : 'var(--ink)')};
  }
`

export interface Figure {
  readonly name: string
  readonly value: string
  /** What it is as things stand, or what it is of. */
  readonly beside?: string
  readonly isBad?: boolean
}

/** The few figures by which a stretch is judged. */
export function Figures({ figures }: { figures: readonly Figure[] }): ReactNode {
  return (
    <Cards>
      {figures.map(({ name, value, beside, isBad }) => (
        <Card key={name} $bad={isBad ?? false}>
          <dt>{name}</dt>
          <dd>
            <b>{value}</b>
            {beside && <Small>{beside}</Small>}
          </dd>
        </Card>
      ))}
    </Cards>
  )
}
