'use client'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import type { DemandPicture } from '@/core/tuning/picture'
import { clock } from '@/ui/format'
import { useMe } from '@/ui/hooks/me'
import { Panel } from '@/ui/parts/layout'

const Rows = styled(Panel)`
  flex: none;
  button {
    all: unset;
    box-sizing: border-box;
    display: grid;
    grid-template-columns: 150px 1fr 130px;
    gap: 12px;
    align-items: center;
    width: 100%;
    height: 28px;
    padding: 0 12px;
    cursor: pointer;
    border-top: 1px solid var(--line);
  }
  button:first-child {
    border-top: 0;
  }
  button:hover {
    background: var(--shelf);
  }
  button[aria-pressed='true'] {
    box-shadow: inset 3px 0 var(--brass);
    font-weight: 600;
  }
  button:focus-visible {
    outline: 2px solid var(--brass);
    outline-offset: -2px;
  }
  span {
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  span:last-child {
    text-align: right;
    color: var(--mute);
    font-weight: 400;
  }
`

/** Columns of a strip. */
const CELLS = 180

/** What a pool is called where it is shown: what runs on machines that are named, or by labels, is no pool's. */
export const poolTitle = (pool: string): string => (pool === '' ? 'named machines' : pool)

/** A strip for each pool: the darker, the more of it is in demand; more than there is stands out. */
export function Heat({
  demand,
  chosen,
  onChoose,
}: {
  demand: DemandPicture
  chosen: string | null
  onChoose: (pool: string) => void
}): ReactNode {
  const { zone } = useMe()
  return (
    <Rows aria-label="Demand by pool">
      {demand.pools.map(({ id, slots, peak, used }) => {
        const each = used.length / CELLS
        const cells = Array.from({ length: CELLS }, (_, i) =>
          Math.max(
            0,
            ...used.slice(Math.floor(i * each), Math.max(Math.floor(i * each) + 1, Math.floor((i + 1) * each))),
          ),
        )
        const at = used.indexOf(peak)
        return (
          <button
            key={id}
            type="button"
            aria-pressed={id === chosen}
            onClick={() => onChoose(id)}
            aria-label={`${poolTitle(id)}: at most ${peak} of ${slots} slots${peak > 0 && at >= 0 ? `, at ${clock((demand.from + at * 60) * 1000, zone)}` : ''}`}
          >
            <span>{poolTitle(id)}</span>
            <svg viewBox={`0 0 ${CELLS} 10`} preserveAspectRatio="none" width="100%" height="16" aria-hidden="true">
              <rect width={CELLS} height="10" fill="var(--shelf)" />
              {cells.map((n, i) =>
                n === 0 ? null : (
                  <rect
                    key={i}
                    x={i}
                    width="1.05"
                    height="10"
                    fill={n > slots ? 'var(--failed)' : 'var(--running)'}
                    opacity={n > slots ? 1 : 0.2 + 0.8 * (n / slots)}
                  />
                ),
              )}
            </svg>
            <span>
              peak {peak} of {slots}
            </span>
          </button>
        )
      })}
    </Rows>
  )
}
