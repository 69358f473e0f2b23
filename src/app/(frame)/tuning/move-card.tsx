'use client'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import type { Move } from '@/core/tuning/tune'
import type { Names } from '@/service/forecast/nights'
import { Button } from '@/ui/parts/button'
import { Checkbox } from '@/ui/parts/fields'
import { Mono, Row, Small, Spring } from '@/ui/parts/layout'
import { triggerTitle } from './words'

const Card = styled.div`
  padding: 6px 10px 8px;
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 3px;
`

/** One move: whether it is taken, from when to when, and why. */
export function MoveCard({
  move: { trigger, from, to, reason },
  names,
  isChosen,
  onChoose,
  onKeep,
}: {
  move: Move
  names: Names
  isChosen: boolean
  onChoose: (is: boolean) => void
  onKeep: () => void
}): ReactNode {
  const title = triggerTitle(names, trigger)
  const window = names.triggers[trigger]?.window
  return (
    <Card>
      <Row>
        <Checkbox isSelected={isChosen} onChange={onChoose}>
          <b>{title}</b>
        </Checkbox>
        <Spring />
        <Mono>
          {from} → {to}
        </Mono>
      </Row>
      <Row $top>
        <Small style={{ flex: 1 }}>
          {reason}
          {window && ` Window ${window.earliest} to ${window.latest}.`}
        </Small>
        <Button kind="quiet" onPress={onKeep} aria-label={`Leave ${title} where it is`}>
          Leave it
        </Button>
      </Row>
    </Card>
  )
}
