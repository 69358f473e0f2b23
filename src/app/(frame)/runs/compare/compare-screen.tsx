'use client'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import type { Comparison, RunHead } from '@/service/runs/compare'
import { api, queryOf } from '@/ui/api'
import { count } from '@/ui/format'
import { useAddress } from '@/ui/hooks/address'
import { Button } from '@/ui/parts/button'
import { Crumb } from '@/ui/parts/crumb'
import { Empty, Mono, Mute, Page, Panel, Row, Small, Spring, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { Select } from '@/ui/parts/select'
import { StateWord, type Mark } from '@/ui/parts/state-mark'
import { Table } from '@/ui/parts/table'
import { Time } from '@/ui/parts/time'
import { ComparedText } from './compared-text'
import { MachinesScreen } from './machines-screen'
import { WhatCounts } from './what-counts'

/** So many lines around what differs, once somebody wants to see them all. */
const ALL = 20_000

/** Two runs side by side: what their outputs have not in common, and what else was different. The address says it all. */
export function CompareScreen(): ReactNode {
  const { values, set } = useAddress()
  const { a, b, off, own, around, start } = values
  const isAsked = /^\d{1,15}$/.test(a ?? '') && /^\d{1,15}$/.test(b ?? '')
  const { data, error } = useQuery({
    queryKey: ['comparison', a, b, off, own, around],
    queryFn: () => api.get<Comparison>(`/runs/compare${queryOf({ a, b, off, own, around })}`),
    enabled: isAsked,
    placeholderData: (before) => before,
  })
  if (start !== undefined && /^\d{1,15}$/.test(start)) return <MachinesScreen start={Number(start)} />
  if (!isAsked)
    return (
      <Page>
        <Empty title="Choose two runs">
          Choose two in the list of <Link href="/runs">runs</Link>, or begin at a run: it can be compared with the one
          before, or with the last that went well.
        </Empty>
      </Page>
    )
  const isOne = values.side === 'one'
  return (
    <Page style={{ overflow: 'hidden' }}>
      <Row $wrap>
        <Crumb href="/runs">Runs</Crumb>
        <h1>Compare</h1>
        {data && <Head run={data.a} />}
        <Small>with</Small>
        {data && <Head run={data.b} />}
        <Spring />
        <Button onPress={() => set({ a: b ?? null, b: a ?? null })}>The other way round</Button>
        <Select
          label="How they stand"
          hideLabel
          value={isOne ? 'one' : ''}
          onChange={(side) => set({ side: side || null })}
          choices={[
            { id: '', title: 'side by side' },
            { id: 'one', title: 'as one' },
          ]}
          width="130px"
        />
      </Row>
      <WhatCounts />
      <Trouble error={error} />
      {data && (
        <>
          {data.facts.length > 0 && <Facts found={data} />}
          <Panel style={{ flex: 1, minHeight: 120, display: 'flex', flexDirection: 'column' }}>
            <Row style={{ padding: '6px 12px' }}>
              <h2>Output</h2>
              <Small role="status">{sumOf(data)}</Small>
              <Spring />
              {data.takenAway + data.putIn > 0 &&
                data.stretches.some(({ folded }) => folded > 0) &&
                around === undefined && (
                  <Button kind="quiet" onPress={() => set({ around: String(ALL) })}>
                    Show what is the same, too
                  </Button>
                )}
              {around !== undefined && (
                <Button kind="quiet" onPress={() => set({ around: null })}>
                  Fold what is the same
                </Button>
              )}
            </Row>
            {[data.a, data.b].map(
              (run) =>
                run.lacks !== null && (
                  <Row key={run.id} style={{ padding: '0 12px 6px' }}>
                    <Small style={{ color: 'var(--late)' }}>
                      #{run.id}: {run.lacks}
                    </Small>
                  </Row>
                ),
            )}
            <ComparedText found={data} isOne={isOne} />
          </Panel>
        </>
      )}
    </Page>
  )
}

function sumOf({ takenAway, putIn, isCut, a, b }: Comparison): string {
  if (takenAway + putIn > 0)
    return `${count(takenAway, 'line')} only in #${a.id}, ${count(putIn, 'line')} only in #${b.id}${isCut ? '; the first of them are shown' : ''}`
  return a.lines + b.lines === 0 ? 'Neither wrote anything.' : `${count(b.lines, 'line')}, all the same`
}

const Head = ({ run }: { run: RunHead }): ReactNode => (
  <span>
    <Link href={`/runs/${run.id}`}>
      <b>{run.title}</b> <Mono>#{run.id}</Mono>
    </Link>{' '}
    <StateWord mark={run.state as Mark} word={run.state} />{' '}
    {run.startedAt && (
      <Small>
        <Time at={run.startedAt} />
      </Small>
    )}
  </span>
)

function Facts({ found: { facts, a, b } }: { found: Comparison }): ReactNode {
  const value = (text: string | null): ReactNode =>
    text === null ? <Mute>not there</Mute> : text === '' ? <Mute>empty</Mute> : <Mono title={text}>{text}</Mono>
  return (
    <Panel style={{ maxHeight: 190, display: 'flex', flexDirection: 'column' }}>
      <Table
        label="What else differs"
        rows={facts.map((fact) => ({ ...fact, id: fact.what }))}
        columns={[
          { id: 'what', title: 'What else differs', cell: ({ what }) => what },
          { id: 'a', title: `In #${a.id}`, cell: (fact) => value(fact.a), maxWidth: 420 },
          { id: 'b', title: `In #${b.id}`, cell: (fact) => value(fact.b), maxWidth: 420 },
        ]}
      />
    </Panel>
  )
}
