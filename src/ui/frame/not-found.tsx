'use client'
import type { ReactNode } from 'react'
import { ButtonLink } from '../parts/button'
import { Row, Small } from '../parts/layout'
import { Apart } from './apart'

/** An address that leads nowhere. */
export function NotFound({ isInFrame = false }: { isInFrame?: boolean }): ReactNode {
  return (
    <Apart title="There is no such page" isInFrame={isInFrame}>
      <p>
        Nothing is at this address: it may be mistyped, or what was here has been removed. Runs, jobs and triggers keep
        their addresses for as long as they are kept.
      </p>
      <Row>
        <ButtonLink href="/watch">To Watch</ButtonLink>
        <Small>or press Ctrl K and look for it</Small>
      </Row>
    </Apart>
  )
}
