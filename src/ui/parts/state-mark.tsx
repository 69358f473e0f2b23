import type { ReactNode } from 'react'
import styled, { keyframes } from 'styled-components'

/** Marks for the states of runs, agents and matters. The shape carries the meaning; the colour repeats it. */
export type Mark =
  | 'succeeded'
  | 'failed'
  | 'running'
  | 'waiting'
  | 'ready'
  | 'skipped'
  | 'cancelled'
  | 'lost'
  | 'late'
  | 'away'
  | 'off'
  | 'draining'
  | 'busy'
  | 'revoked'
  | 'held'

const turn = keyframes`to { transform: rotate(360deg) }`
/** The whole mark turns, not its sector alone, and in steps like a clock's: so it is moved by the compositor and nothing is drawn anew, where a part of a picture is painted sixty times a second. */
const Picture = styled.svg`
  flex: none;
  &[data-turns='true'] {
    animation: ${turn} 3s steps(12) infinite;
    will-change: transform;
  }
`

const COLOUR: Record<Mark, string> = {
  succeeded: 'succeeded',
  failed: 'failed',
  running: 'running',
  busy: 'running',
  waiting: 'waiting',
  ready: 'waiting',
  held: 'waiting',
  skipped: 'skipped',
  cancelled: 'skipped',
  off: 'skipped',
  revoked: 'skipped',
  lost: 'lost',
  away: 'lost',
  late: 'late',
  draining: 'late',
}

const shapes: Record<Mark, ReactNode> = {
  succeeded: (
    <>
      <circle cx="7" cy="7" r="6" fill="currentColor" />
      <path d="M4 7.2l2.1 2.1L10 5" fill="none" stroke="var(--sheet)" strokeWidth="1.6" />
    </>
  ),
  failed: (
    <>
      <rect x="1" y="1" width="12" height="12" rx="2" fill="currentColor" />
      <path d="M4.5 4.5l5 5m0-5l-5 5" stroke="var(--sheet)" strokeWidth="1.7" />
    </>
  ),
  running: (
    <>
      <circle cx="7" cy="7" r="5.4" fill="none" stroke="currentColor" strokeWidth="1.3" />
      <path d="M7 7V2.4A4.6 4.6 0 0 1 11.3 8.6z" fill="currentColor" />
    </>
  ),
  waiting: (
    <circle cx="7" cy="7" r="5.2" fill="none" stroke="currentColor" strokeWidth="1.4" strokeDasharray="2.2 1.9" />
  ),
  ready: (
    <>
      <circle cx="7" cy="7" r="5.2" fill="none" stroke="currentColor" strokeWidth="1.4" />
      <circle cx="7" cy="7" r="1.9" fill="currentColor" />
    </>
  ),
  held: <path d="M4 2.5v9M7 2.5v9M10 2.5v9" stroke="currentColor" strokeWidth="1.6" />,
  skipped: <path d="M2.5 3l4 4-4 4m5-8l4 4-4 4" fill="none" stroke="currentColor" strokeWidth="1.5" />,
  cancelled: (
    <>
      <rect x="1.6" y="1.6" width="10.8" height="10.8" rx="2" fill="none" stroke="currentColor" strokeWidth="1.3" />
      <path d="M4 7h6" stroke="currentColor" strokeWidth="1.7" />
    </>
  ),
  lost: (
    <>
      <path d="M7 .6L13.4 7 7 13.4.6 7z" fill="currentColor" />
      <path d="M7 3.8v4M7 9.4v1.2" stroke="var(--sheet)" strokeWidth="1.5" />
    </>
  ),
  away: (
    <>
      <path d="M7 .6L13.4 7 7 13.4.6 7z" fill="none" stroke="currentColor" strokeWidth="1.3" />
      <path d="M7 3.8v4M7 9.4v1.2" stroke="currentColor" strokeWidth="1.5" />
    </>
  ),
  late: <path d="M3 13V1.5h8.5L9 4.7l2.5 3.2H4.2V13z" fill="currentColor" />,
  draining: <path d="M3 3h8L7 8zM7 8v4" fill="none" stroke="currentColor" strokeWidth="1.4" />,
  busy: (
    <>
      <circle cx="7" cy="7" r="5.4" fill="none" stroke="currentColor" strokeWidth="1.3" />
      <circle cx="7" cy="7" r="3.2" fill="currentColor" />
    </>
  ),
  off: <path d="M3 7h8" stroke="currentColor" strokeWidth="1.8" />,
  revoked: <path d="M3 3l8 8m0-8l-8 8" stroke="currentColor" strokeWidth="1.6" />,
}

export function StateMark({ mark, size = 14 }: { mark: Mark; size?: number }): ReactNode {
  return (
    <Picture
      width={size}
      height={size}
      viewBox="0 0 14 14"
      aria-hidden="true"
      data-turns={mark === 'running'}
      style={{ color: `var(--${COLOUR[mark]})` }}
    >
      {shapes[mark]}
    </Picture>
  )
}

const Chip = styled.span<{ $colour: string }>`
  display: inline-flex;
  align-items: center;
  gap: 6px;
  padding: 2px 8px;
  border-radius: 3px;
  font-weight: 600;
  white-space: nowrap;
  color: var(--${(p) => p.$colour});
  background: var(--${(p) => p.$colour}-soft);
`

/** The state with its word on its own ground. */
export function StateChip({ mark, children }: { mark: Mark; children: ReactNode }): ReactNode {
  return (
    <Chip $colour={COLOUR[mark]}>
      <StateMark mark={mark} />
      {children}
    </Chip>
  )
}

const Word = styled.span`
  display: inline-flex;
  vertical-align: middle;
  align-items: center;
  gap: 6px;
`

export function StateWord({ mark, word }: { mark: Mark; word?: string }): ReactNode {
  return (
    <Word>
      <StateMark mark={mark} />
      {word ?? mark}
    </Word>
  )
}
