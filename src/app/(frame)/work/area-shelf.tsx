'use client'
import { Lock } from 'lucide-react'
import { useMemo, type ReactNode } from 'react'
import styled from 'styled-components'
import { AreaTree } from '@/core/people/area-tree'
import type { AreaRow } from '@/service/work/areas'
import { useMay, useMe } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { Row, Shelf, Spring } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'

const ShelfLink = styled(Link)<{ $depth?: number }>`
  display: flex;
  gap: 6px;
  align-items: center;
  padding: 6px 14px 6px ${({ $depth = 0 }) => 14 + 14 * $depth}px;
  border-left: 3px solid transparent;
  &[aria-current] {
    background: var(--sheet);
    font-weight: 600;
    border-color: var(--brass);
  }
  &:hover {
    text-decoration: none;
    background: var(--sheet);
  }
  span:first-child {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  span:last-child {
    margin-left: auto;
    color: var(--mute);
    font-weight: 400;
  }
`

/** The area and all that lies in it. */
export const areasWithin = (areas: readonly AreaRow[], id: number): ReadonlySet<number> =>
  new Set(new AreaTree(areas).below(id).map((area) => area.id))

/** Areas in one another, each with how much lies in it, what lies deeper counted too. */
export function AreaShelf({
  areas,
  chosen,
  jobs,
  onNew,
}: {
  readonly areas: readonly AreaRow[]
  readonly chosen: AreaRow | undefined
  /** All jobs and flows. */
  readonly jobs: number | undefined
  readonly onNew: () => void
}): ReactNode {
  const { why } = useMay('design')
  const { role } = useMe()
  const tree = useMemo(() => new AreaTree(areas), [areas])
  return (
    <Shelf as="nav" aria-label="Areas of work">
      <Row style={{ padding: '0 14px 8px' }}>
        <h2>Areas</h2>
        <Spring />
        <Button onPress={onNew} whyNot={why}>
          New
        </Button>
      </Row>
      <ShelfLink href="/work" aria-current={chosen ? undefined : 'page'}>
        <span>All work</span>
        <span>{jobs ?? ''}</span>
      </ShelfLink>
      {tree.inOrder().map(({ area, depth }) => (
        <ShelfLink
          key={area.id}
          $depth={depth}
          href={`/work?area=${area.id}`}
          aria-current={area.id === chosen?.id ? 'page' : undefined}
        >
          <span>{area.title}</span>
          {area.closed && <Lock size={12} aria-label="closed" />}
          <span>{tree.below(area.id).reduce((sum, each) => sum + each.jobs, 0)}</span>
        </ShelfLink>
      ))}
      {role !== 'none' && (
        <>
          <div style={{ borderTop: '1px solid var(--line)', margin: '10px 14px' }} />
          <ShelfLink href="/work/shared">
            <span>Shared values</span>
            <span />
          </ShelfLink>
        </>
      )}
    </Shelf>
  )
}
