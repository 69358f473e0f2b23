'use client'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import { changeCounts, lineWords } from '@/core/compare/changed'
import { MASKS } from '@/core/compare/masks'
import { visible } from '@/core/schema/plain-text'
import type { Watches } from '@/core/work/watches'
import type { OutputLook } from '@/service/runs/output-looks'
import { queryOf } from '@/ui/api'
import { count } from '@/ui/format'
import { Panel, Row, Small, Spring } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'

const Lines = styled.ul`
  list-style: none;
  margin: 4px 0 0;
  padding: 0;
  font-family: 'JetBrains Mono Variable', monospace;
  font-size: 12px;
  li {
    padding: 1px 6px;
    white-space: pre-wrap;
    overflow-wrap: anywhere;
  }
  li[data-is='taken away'] {
    background: var(--failed-soft);
  }
  li[data-is='put in'] {
    background: var(--succeeded-soft);
  }
`

/** Of a success whose job watches its output: what it wrote that the success before did not, and the other way round. */
export function Look({
  runId,
  look,
  watches,
}: {
  runId: number
  look: OutputLook
  watches: Watches | null
}): ReactNode {
  const { state, before, change, why } = look
  if (state === 'first') return <Small>Its output is watched from here on. {why}</Small>
  if (state === 'waiting') return <Small>Its output is about to be compared with that of the success before.</Small>
  if (state === 'failed')
    return (
      <Panel style={{ padding: '7px 12px' }} aria-label="Its output">
        Its output is watched, but was not compared: {why}
      </Panel>
    )
  const compare = `/runs/compare${queryOf({
    a: before ?? '',
    b: runId,
    off: MASKS.filter((name) => !watches?.masks.includes(name)).join('\n') || undefined,
    own: watches?.patterns.join('\n') || undefined,
  })}`
  if (!change)
    return (
      <Small>
        It wrote what <Link href={`/runs/${before}`}>#{before}</Link> did: nothing that counts has changed.
      </Small>
    )
  const more = change.takenAway + change.putIn - change.lines.length
  return (
    <Panel style={{ padding: '7px 12px' }} aria-label="Its output">
      <Row $wrap>
        <b>It has written something else</b>
        <Small>
          than <Link href={`/runs/${before}`}>#{before}</Link>: {changeCounts(change)}
        </Small>
        <Spring />
        <Link href={compare}>Compare the outputs</Link>
      </Row>
      <Lines>
        {change.lines.map((line, i) => (
          <li key={i} data-is={line.is}>
            {visible(lineWords(line))}
          </li>
        ))}
      </Lines>
      {more > 0 && <Small>and {count(more, 'more line')}</Small>}
    </Panel>
  )
}
