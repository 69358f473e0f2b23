'use client'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import { Dialog } from '../parts/dialog'

const KEYS: readonly [string, string][] = [
  ['Ctrl K', 'find an object or a command'],
  ['g w · g r · g o · g t · g f · g s', 'go to Watch, Runs, Work, Timing, Fleet, Settings'],
  ['↑ ↓ Home End', 'move through a list or table'],
  ['Enter', 'open what is chosen'],
  ['Space · Shift ↑ ↓', 'choose a row of Runs, or several, to do one thing with all of them'],
  ['/', 'to the filter of the screen'],
  ['Esc', 'close, or back to the list'],
  ['+ − · Ctrl and wheel', 'zoom a flow’s picture, around the chosen step or the pointer'],
  [
    'drag a step onto one',
    'that comes after it; with Shift, that its failure leads to; with Ctrl, into one group with it',
  ],
  [
    '← → on the day line',
    'a quarter of an hour; PageUp and PageDown four hours, as far as a week back; Shift makes it longer; Enter opens what ran or is to start; Esc leaves it',
  ],
  ['F8', 'to the newest failure that was announced'],
  ['?', 'this list'],
]
const Grid = styled.dl`
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 6px 18px;
  dt {
    font-family: 'JetBrains Mono Variable', monospace;
    font-size: 12px;
  }
`

export function KeyHelp({ isOpen, onClose }: { isOpen: boolean; onClose: () => void }): ReactNode {
  return (
    <Dialog title="Keys" isOpen={isOpen} onClose={onClose}>
      <Grid>
        {KEYS.map(([key, does]) => (
          <div key={key} style={{ display: 'contents' }}>
            <dt>{key}</dt>
            <dd>{does}</dd>
          </div>
        ))}
      </Grid>
    </Dialog>
  )
}
