'use client'
import { Pencil } from 'lucide-react'
import type { ReactNode } from 'react'
import { Button as AriaButton } from 'react-aria-components'
import styled from 'styled-components'
import type { TriggerRow } from '@/service/timing/trigger-list'
import { useMay } from '@/ui/hooks/me'
import type { CadenceBox } from './cadence-box'
import { usePopped } from '@/ui/hooks/popped'

const Pen = styled(AriaButton)`
  all: unset;
  display: inline-grid;
  place-items: center;
  width: 24px;
  height: 24px;
  color: var(--mute);
  cursor: pointer;
  flex: none;
  &[data-hovered] {
    color: var(--ink);
  }
  &[data-focus-visible] {
    outline: 2px solid var(--brass);
    color: var(--ink);
  }
`
const Line = styled.span`
  display: inline-flex;
  align-items: center;
  gap: 2px;
  max-width: 100%;
  > span {
    overflow: hidden;
    text-overflow: ellipsis;
  }
`

const load = (): Promise<typeof CadenceBox> => import('./cadence-box').then((module) => module.CadenceBox)

/** When a trigger fires, in words; changed on the spot, with the effect shown before it is saved. */
export function CadenceEdit({ row }: { row: TriggerRow }): ReactNode {
  const { may } = useMay('design')
  const { opener, part: Box, close } = usePopped(load)
  return (
    <Line>
      <span title={row.says}>{row.says}</span>
      {may && row.kind === 'time' && (
        <Pen {...opener} aria-label={`Change when ${row.title} fires`}>
          <Pencil size={12} aria-hidden="true" />
        </Pen>
      )}
      {Box && <Box row={row} button={opener.ref} onClose={close} />}
    </Line>
  )
}
