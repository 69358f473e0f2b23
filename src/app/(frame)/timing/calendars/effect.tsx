'use client'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import type { CalendarPreview } from '@/service/forecast/previews'
import { count } from '@/ui/format'
import { Small, Stack } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { ChangesList, summaryOf } from '../changes-list'

const Box = styled.section`
  /* Always in sight, and nothing above it moves when it comes. */
  position: sticky;
  bottom: -24px;
  flex: none;
  max-height: 45vh;
  position: relative;
  overflow: auto;
  margin: auto -14px -24px;
  padding: 10px 14px 14px;
  background: var(--sheet);
  border-top: 4px solid var(--brass);
  display: flex;
  flex-direction: column;
  gap: 6px;
`
const MOST = 8

/** What saving the changed rule would do to the coming starts of every trigger that stands on it. */
export function Effect({ preview: { triggers, looked } }: { preview: CalendarPreview }): ReactNode {
  return (
    <Box role="status" aria-label="What saving would change">
      <h2>
        {triggers.length === 0
          ? `Saving this changes no coming start of the ${count(looked, 'trigger')} on it`
          : `Saving this changes ${count(triggers.length, 'trigger')} of ${looked}`}
      </h2>
      {triggers.slice(0, MOST).map(({ id, title, changes }, i) => (
        <Stack key={id} $gap={2}>
          <span>
            <Link href={`/timing/triggers/${id}`} target="_blank">
              <b>{title}</b>
            </Link>{' '}
            <Small>{summaryOf(changes)}</Small>
          </span>
          {i < 3 && <ChangesList changes={changes} />}
        </Stack>
      ))}
      {triggers.length > MOST && <Small>and {count(triggers.length - MOST, 'other trigger')}</Small>}
    </Box>
  )
}
