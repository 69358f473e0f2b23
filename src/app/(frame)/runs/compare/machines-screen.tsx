'use client'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import type { MachineGroup, Machines } from '@/service/runs/compare-machines'
import { api, queryOf } from '@/ui/api'
import { count } from '@/ui/format'
import { useAddress } from '@/ui/hooks/address'
import { Crumb } from '@/ui/parts/crumb'
import { Mono, Mute, Page, Panel, Row, Small, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { StateWord, type Mark } from '@/ui/parts/state-mark'
import { Table } from '@/ui/parts/table'
import { Time } from '@/ui/parts/time'
import { WhatCounts } from './what-counts'

const MOST_NAMED = 12

/** The runs of one start on many machines: those that wrote the same together, the odd ones first. */
export function MachinesScreen({ start }: { start: number }): ReactNode {
  const { off, own } = useAddress().values
  const { data, error } = useQuery({
    queryKey: ['comparison', 'machines', start, off, own],
    queryFn: () => api.get<Machines>(`/runs/${start}/machines${queryOf({ off, own })}`),
    placeholderData: (before) => before,
  })
  const usual = data?.groups.at(-1)
  const all = data?.groups.reduce((sum, { runs }) => sum + runs.length, 0) ?? 0
  return (
    <Page style={{ overflow: 'hidden' }}>
      <Row $wrap>
        <Crumb href="/runs">Runs</Crumb>
        <h1>Compare</h1>
        <span>
          <b>{data?.title}</b> {data?.occurrence && <Time at={data.occurrence} />}
        </span>
        {data && (
          <Small role="status">
            {count(all, 'machine')} wrote{' '}
            {data.groups.length === 1 ? 'all the same' : `${data.groups.length} different outputs`}
            {data.leftOut.length > 0 && `; ${data.leftOut.length} are not compared`}
          </Small>
        )}
      </Row>
      <WhatCounts />
      <Trouble error={error} />
      {data && (
        <Panel style={{ minHeight: 0, display: 'flex', flexDirection: 'column' }}>
          <Table
            label="What the machines wrote"
            rows={[
              ...data.groups.map((group) => ({ ...group, id: group.runs[0]?.id ?? 0 })),
              ...(data.leftOut.length > 0
                ? [{ id: 'left out', runs: data.leftOut, lines: null, differs: [], more: 0 }]
                : []),
            ]}
            columns={[
              { id: 'count', title: 'Machines', align: 'right', cell: ({ runs }) => <b>{runs.length}</b> },
              { id: 'which', title: 'Which', maxWidth: 420, cell: ({ runs }) => <Named runs={runs} /> },
              { id: 'lines', title: 'Lines', align: 'right', cell: ({ lines }) => lines ?? '' },
              {
                id: 'differs',
                title: usual && data.groups.length > 1 ? 'What is different from the most' : 'What they wrote',
                maxWidth: 560,
                cell: (group) =>
                  group.lines === null ? (
                    <Mute>not over yet, or too much to compare</Mute>
                  ) : (
                    <Differs group={group} usual={usual} />
                  ),
              },
            ]}
          />
        </Panel>
      )}
    </Page>
  )
}

function Named({ runs }: { runs: MachineGroup['runs'] }): ReactNode {
  return (
    <span style={{ whiteSpace: 'normal' }}>
      {runs.slice(0, MOST_NAMED).map(({ id, machine, state }) => (
        <span key={id} style={{ marginRight: 12, whiteSpace: 'nowrap' }}>
          <Link href={`/runs/${id}`}>{machine || `#${id}`}</Link>{' '}
          {state !== 'succeeded' && <StateWord mark={state as Mark} word={state} />}
        </span>
      ))}
      {runs.length > MOST_NAMED && <Small>and {runs.length - MOST_NAMED} more</Small>}
    </span>
  )
}

function Differs({ group, usual }: { group: Omit<MachineGroup, 'lines'>; usual: MachineGroup | undefined }): ReactNode {
  const [one, most] = [group.runs[0], usual?.runs[0]]
  if (!one || !most || one.id === most.id) return <Mute>the same, each of them</Mute>
  return (
    <span style={{ whiteSpace: 'pre-wrap', display: 'block', padding: '4px 0' }}>
      {group.differs.map(({ sign, text }, i) => (
        <Mono
          key={i}
          style={{ display: 'block', background: sign === '+' ? 'var(--succeeded-soft)' : 'var(--failed-soft)' }}
        >
          {sign === '+' ? '+' : '−'} {text}
        </Mono>
      ))}
      {group.more > 0 && <Small>and {count(group.more, 'line')} more. </Small>}
      <Link href={`/runs/compare?a=${most.id}&b=${one.id}`}>Side by side</Link>
    </span>
  )
}
