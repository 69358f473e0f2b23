'use client'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import type { RobotPiece, RobotWork } from '@/service/fleet/robot-work'
import { duration, exact } from '@/ui/format'
import { useMe } from '@/ui/hooks/me'
import { Link } from '@/ui/parts/link'

const Track = styled.div`
  position: relative;
  height: 18px;
  min-width: 160px;
  background: var(--shelf);
  border-radius: 2px;
  overflow: hidden;
`
const Piece = styled(Link)<{ $state: string }>`
  position: absolute;
  top: 2px;
  bottom: 2px;
  min-width: 3px;
  border-radius: 1px;
  background: var(
    --${(p) => (p.$state === 'failed' || p.$state === 'lost' ? p.$state : p.$state === 'succeeded' ? 'succeeded' : p.$state === 'cancelled' ? 'skipped' : 'running')}
  );
`

/** What one robot did over a stretch, along it; each piece leads to its run. */
export function RobotLane({
  work,
  pieces,
  label,
}: {
  work: Pick<RobotWork, 'from' | 'to'>
  pieces: readonly RobotPiece[]
  label: string
}): ReactNode {
  const { zone } = useMe()
  const [from, to] = [new Date(work.from).getTime(), new Date(work.to).getTime()]
  const share = (at: Date | null): number =>
    Math.min(1, Math.max(0, ((at === null ? to : new Date(at).getTime()) - from) / (to - from)))
  return (
    <Track role="list" aria-label={label}>
      {pieces.map((piece) => {
        const left = share(piece.from)
        const took = (piece.to === null ? to : new Date(piece.to).getTime()) - new Date(piece.from).getTime()
        const words = `${piece.title} #${piece.runId}, ${piece.state}, ${exact(piece.from, zone)}, ${duration(took)}`
        return (
          <span role="listitem" key={`${piece.runId} ${String(piece.from)}`}>
            <Piece
              href={`/runs/${piece.runId}`}
              $state={piece.state}
              title={words}
              aria-label={words}
              // Thousands of pieces are no stops of their own: the list of runs below is.
              tabIndex={-1}
              style={{ left: `${left * 100}%`, width: `${(share(piece.to) - left) * 100}%` }}
            />
          </span>
        )
      })}
    </Track>
  )
}
