'use client'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import { Button } from './button'
import { Panel, Row, Spring, Stack } from './layout'

const Grid = styled.div`
  display: grid;
  grid-template-columns: 140px 1fr 1fr;
  gap: 4px 14px;
  > * {
    overflow-wrap: anywhere;
    white-space: pre-wrap;
  }
  .head {
    color: var(--mute);
    font-size: 11.5px;
  }
  .mine {
    background: var(--succeeded-soft);
  }
  .theirs {
    background: var(--late-soft);
  }
`

interface Difference {
  readonly path: string
  readonly mine: string
  readonly theirs: string
}

/** Every value in which the two differ, by path. */
function differences(mine: unknown, theirs: unknown, path = ''): Difference[] {
  if (JSON.stringify(mine) === JSON.stringify(theirs)) return []
  const isTree = (value: unknown): value is Record<string, unknown> => typeof value === 'object' && value !== null
  if (!isTree(mine) || !isTree(theirs)) return [{ path, mine: show(mine), theirs: show(theirs) }]
  const keys = [...new Set([...Object.keys(mine), ...Object.keys(theirs)])]
  return keys.flatMap((key) => differences(mine[key], theirs[key], path === '' ? key : `${path}.${key}`))
}

function show(value: unknown): string {
  return value === undefined || value === null ? '—' : typeof value === 'string' ? value : JSON.stringify(value)
}

/** Somebody saved first: both are shown, and the person decides. `mine` and `theirs` have the same keys. */
export function BothVersions({
  what,
  mine,
  theirs,
  version,
  savedBy,
  onKeepMine,
  onTakeTheirs,
}: {
  what: string
  mine: object
  theirs: object
  version: number
  savedBy: string
  onKeepMine: () => void
  onTakeTheirs: () => void
}): ReactNode {
  const rows = differences(mine, theirs)
  return (
    <Panel role="alert" style={{ padding: '12px 14px', borderLeft: '4px solid var(--late)' }}>
      <Stack $gap={10}>
        <h2>
          {savedBy} saved this {what} while you were changing it
        </h2>
        <p>
          Nothing of yours is lost, and nothing is saved yet.{' '}
          {rows.length === 0 ? 'Both versions are the same.' : 'They differ in:'}
        </p>
        <Grid>
          <span className="head">field</span>
          <span className="head">yours</span>
          <span className="head">
            version {version}, by {savedBy}
          </span>
          {rows.map((row) => (
            <div key={row.path} style={{ display: 'contents' }}>
              <span>{row.path.replace('definition.', '')}</span>
              <span className="mine">{row.mine}</span>
              <span className="theirs">{row.theirs}</span>
            </div>
          ))}
        </Grid>
        <Row>
          <Spring />
          <Button onPress={onTakeTheirs}>Take theirs, drop mine</Button>
          <Button kind="strong" onPress={onKeepMine}>
            Save mine over it
          </Button>
        </Row>
      </Stack>
    </Panel>
  )
}
