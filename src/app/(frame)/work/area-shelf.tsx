'use client'
import { Lock } from 'lucide-react'
import { useEffect, useMemo, useRef, useState, type DragEvent, type ReactNode } from 'react'
import styled from 'styled-components'
import { AreaTree } from '@/core/people/area-tree'
import type { AreaRow } from '@/service/work/areas'
import { useMay, useMe } from '@/ui/hooks/me'
import { useOnDemand } from '@/ui/hooks/on-demand'
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
  &:hover,
  &[data-takes='true'] {
    text-decoration: none;
    background: var(--sheet);
  }
  &[data-takes='true'] {
    border-color: var(--brass);
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

/** More areas than these are drawn only where they are in sight. */
const MOST_DRAWN = 150

/** Areas in one another, each with how much lies in it, what lies deeper counted too. One that is dragged onto another is moved there, once it is seen what that changes for whom. */
export function AreaShelf({
  areas,
  chosen,
  jobs,
  onNew,
  onMove,
}: {
  readonly areas: readonly AreaRow[]
  readonly chosen: AreaRow | undefined
  /** All jobs and flows. */
  readonly jobs: number | undefined
  readonly onNew: () => void
  readonly onMove: (area: AreaRow, parentId: number | null) => void
}): ReactNode {
  const { why } = useMay('design')
  const { role } = useMe()
  const tree = useMemo(() => new AreaTree(areas), [areas])
  const rows = useMemo(() => tree.inOrder(), [tree])
  const sums = useMemo(() => tree.sums(({ jobs: own }) => own), [tree])
  const scroll = useRef<HTMLElement>(null)
  const [Part, want] = useOnDemand(() => import('./rows-in-sight').then((module) => module.RowsInSight))
  const isLong = rows.length > MOST_DRAWN
  useEffect(() => {
    if (isLong) want()
  }, [isLong, want])
  const drag = useDrag(tree, role === 'administrator', onMove)
  const line = ({ area, depth }: { area: AreaRow; depth: number }): ReactNode => (
    <ShelfLink
      key={area.id}
      $depth={depth}
      href={`/work?area=${area.id}`}
      aria-current={area.id === chosen?.id ? 'page' : undefined}
      {...drag.of(area)}
    >
      <span>{area.title}</span>
      {area.closed && <Lock size={12} aria-label="closed" />}
      <span>{sums.get(area.id) ?? 0}</span>
    </ShelfLink>
  )
  return (
    <Shelf as="nav" aria-label="Areas of work" ref={scroll}>
      <Row style={{ padding: '0 14px 8px' }}>
        <h2>Areas</h2>
        <Spring />
        <Button onPress={onNew} whyNot={why}>
          New
        </Button>
      </Row>
      <ShelfLink href="/work" aria-current={chosen ? undefined : 'page'} {...drag.of(null)}>
        <span>All work</span>
        <span>{jobs ?? ''}</span>
      </ShelfLink>
      {isLong && Part ? (
        <Part count={rows.length} scroll={scroll} line={(at) => line(rows[at] as (typeof rows)[number])} />
      ) : (
        rows.slice(0, MOST_DRAWN).map(line)
      )}
      <div style={{ borderTop: '1px solid var(--line)', margin: '10px 14px' }} />
      <ShelfLink href="/work/queues">
        <span>Queues</span>
        <span />
      </ShelfLink>
      {role !== 'none' && (
        <ShelfLink href="/work/shared">
          <span>Shared values</span>
          <span />
        </ShelfLink>
      )}
    </Shelf>
  )
}

/** What is dragged, and onto what it may be let go: where both are managed, and nothing would lie in itself or too deep. */
function useDrag(
  tree: AreaTree<AreaRow>,
  mayBeOutermost: boolean,
  onMove: (area: AreaRow, parentId: number | null) => void,
): { readonly of: (area: AreaRow | null) => object } {
  const [dragged, setDragged] = useState<AreaRow | null>(null)
  const [over, setOver] = useState<number | null | undefined>(undefined)
  const takes = (target: AreaRow | null): boolean => {
    if (dragged === null || dragged.id === target?.id || dragged.parentId === (target?.id ?? null)) return false
    const mayThere = target === null ? mayBeOutermost : target.may === 'manage'
    return mayThere && tree.whyNotIn(dragged.id, target?.id ?? null) === null
  }
  return {
    of: (area) => {
      const id = area?.id ?? null
      return {
        draggable: area?.may === 'manage',
        'data-takes': over === id && takes(area),
        onDragStart: (event: DragEvent) => {
          if (area?.may !== 'manage') return
          event.dataTransfer.effectAllowed = 'move'
          setDragged(area)
        },
        onDragEnd: () => {
          setDragged(null)
          setOver(undefined)
        },
        onDragOver: (event: DragEvent) => {
          if (!takes(area)) return
          event.preventDefault()
          setOver(id)
        },
        onDragLeave: () => setOver(undefined),
        onDrop: (event: DragEvent) => {
          event.preventDefault()
          if (dragged && takes(area)) onMove(dragged, id)
          setDragged(null)
          setOver(undefined)
        },
      }
    },
  }
}
