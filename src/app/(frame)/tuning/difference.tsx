'use client'
import type { ReactNode } from 'react'
import type { Difference as Differs } from '@/core/forecast/difference'
import type { Names } from '@/service/forecast/nights'
import { clock, count } from '@/ui/format'
import { useMe } from '@/ui/hooks/me'
import { Panel, Row, Small } from '@/ui/parts/layout'
import { Table } from '@/ui/parts/table'
import { Time } from '@/ui/parts/time'
import { triggerTitle } from './words'

/** Runs beyond these are only counted. */
const MOST_SHOWN = 200

/** What is another with the changes: peaks, waiting, and each run that moves. */
export function Difference({
  difference: { runs, peaks, waits },
  names,
}: {
  difference: Differs
  names: Names
}): ReactNode {
  const { zone } = useMe()
  const words = [
    ...peaks.map(({ pool, before, after }) => `peak of ${pool || 'named machines'} ${before} → ${after}`),
    ...waits.map(
      ({ reason, before, after }) => `waiting for ${reason} ${Math.round(before / 60)} → ${Math.round(after / 60)} min`,
    ),
  ]
  if (runs.length === 0 && words.length === 0)
    return <Small>Nothing is another by usual lengths: what the chances say comes of the samples.</Small>
  const when = (of: { start: string | null; agent: string | null } | null): string =>
    of === null
      ? 'not at all'
      : of.start === null
        ? 'not in this stretch'
        : `${clock(of.start, zone)} on ${of.agent ?? '—'}`
  return (
    <Panel style={{ flex: 'none' }}>
      <Row $wrap style={{ padding: '8px 12px' }}>
        <h2>{count(runs.length, 'run')} move</h2>
        <Small>{words.join(' · ')}</Small>
      </Row>
      {runs.length > 0 && (
        <Table
          label="Runs that move"
          rows={runs.slice(0, MOST_SHOWN).map((run, id) => ({ ...run, id }))}
          columns={[
            { id: 'trigger', title: 'Trigger', cell: (row) => triggerTitle(names, row.trigger) },
            { id: 'step', title: 'Step', cell: (row) => row.step ?? '' },
            { id: 'occurrence', title: 'Of', cell: (row) => <Time at={row.occurrence} /> },
            { id: 'before', title: 'Now', cell: (row) => when(row.before) },
            { id: 'after', title: 'With it', cell: (row) => when(row.after) },
          ]}
        />
      )}
      {runs.length > MOST_SHOWN && <Small style={{ padding: 10 }}>The first {MOST_SHOWN} are shown.</Small>}
    </Panel>
  )
}
