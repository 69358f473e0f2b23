'use client'
import type { ReactNode } from 'react'
import { Button } from './button'
import { Panel, Row, Spring } from './layout'

/** Above a list of which several rows are chosen: how many, and what can be done with all of them. */
export function ChosenBar({
  says,
  onClear,
  children,
}: {
  says: string
  onClear: () => void
  children: ReactNode
}): ReactNode {
  return (
    <Panel style={{ padding: '6px 10px', borderLeft: '4px solid var(--brass)' }} aria-label="What is chosen">
      <Row>
        <b>{says}</b>
        {children}
        <Spring />
        <Button kind="quiet" onPress={onClear}>
          Choose none
        </Button>
      </Row>
    </Panel>
  )
}
