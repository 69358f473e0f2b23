'use client'
import { useInfiniteQuery } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import { useMemo, type ReactNode } from 'react'
import type { MissedRow } from '@/service/timing/trigger-history'
import { ExportButton } from '@/app/shared/exports/export-button'
import { api, queryOf } from '@/ui/api'
import { day } from '@/ui/format'
import { useMe } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { DaysButton } from '@/ui/parts/days-button'
import { Select } from '@/ui/parts/select'
import { SearchField } from '@/ui/parts/search-field'
import { useEndless } from '@/ui/hooks/endless'
import { Empty, Page, Panel, Row, Small, Spring, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { Table } from '@/ui/parts/table'
import { ColumnsButton } from '@/app/shared/views/columns-button'
import { useColumns, type Choosable } from '@/app/shared/views/use-columns'
import { useViewed } from '@/app/shared/views/use-viewed'
import { ViewMenu } from '@/app/shared/views/view-menu'
import { Ago, Time } from '@/ui/parts/time'
import { TimingNav } from '../timing-nav'
import { WHY_WORDS } from '@/core/timing/not-started-words'

const PAGE = 100
const ANY = 'any'

const COLUMNS: readonly Choosable<MissedRow>[] = [
  {
    id: 'trigger',
    always: true,
    title: 'Trigger',
    cell: (row) => (
      <Link href={`/timing/triggers/${row.triggerId}?tab=history`}>
        <b>{row.title}</b>
      </Link>
    ),
  },
  {
    id: 'was',
    title: 'Was due',
    cell: (row) =>
      row.times === 1 ? (
        <Time at={row.first} />
      ) : (
        <>
          <Time at={row.first} /> to <Time at={row.last} /> <Small>{row.times} times</Small>
        </>
      ),
  },
  { id: 'why', title: 'Not started because', cell: (row) => WHY_WORDS[row.why] ?? row.why },
  {
    id: 'detail',
    title: '',
    name: 'In detail',
    maxWidth: 480,
    cell: (row) => <Small title={row.detail}>{row.detail}</Small>,
  },
  {
    id: 'run',
    title: 'Instead',
    cell: (row) => row.runId !== null && <Link href={`/runs/${row.runId}`}>#{row.runId}</Link>,
  },
  { id: 'at', title: 'Decided', cell: (row) => <Ago at={row.at} /> },
]

/** What was due and not started, of all triggers, with the reason. */
export function NotStartedScreen(): ReactNode {
  const router = useRouter()
  const viewed = useViewed('not-started')
  const { values, set, isReady } = viewed
  const columns = useColumns(viewed, COLUMNS)
  const { zone } = useMe()
  const { why, text, from, to } = values
  const asked = { why, text, from, to }
  const isFiltered = Object.values(asked).some((value) => value !== undefined)
  const query = useInfiniteQuery({
    queryKey: ['missed', asked],
    enabled: isReady,
    queryFn: ({ pageParam }) => api.get<MissedRow[]>(`/not-started${queryOf({ ...asked, before: pageParam })}`),
    placeholderData: (before) => before,
    initialPageParam: undefined as number | undefined,
    getNextPageParam: (last) => (last.length < PAGE ? undefined : last.at(-1)?.id),
  })
  const rows = useMemo(() => query.data?.pages.flat() ?? [], [query.data])
  const end = useEndless(query.fetchNextPage, query.hasNextPage, rows.length)
  return (
    <Page style={{ overflow: 'hidden' }}>
      <Row $wrap>
        <h1>Timing</h1>
        <TimingNav />
        <ViewMenu viewed={viewed} />
        <Spring />
        <SearchField label="Trigger" value={text ?? ''} onChange={(next) => set({ text: next || null }, 'replace')} />
        <Select
          label="Why"
          hideLabel
          value={why ?? ANY}
          onChange={(id) => set({ why: id === ANY ? null : id })}
          choices={[
            { id: ANY, title: 'any reason' },
            ...Object.entries(WHY_WORDS).map(([id, title]) => ({ id, title })),
          ]}
          width="190px"
        />
        <ColumnsButton {...columns} />
        <ExportButton list="not-started" values={asked} columns={columns.shown.map(({ id }) => id)} />
        <DaysButton onDays={(days) => set({ ...days })} />
        {isFiltered && (
          <Button kind="quiet" onPress={() => set({ why: null, text: null, from: null, to: null })}>
            Show all
          </Button>
        )}
      </Row>
      {from !== undefined && to !== undefined && (
        <Small>
          Due from <Time at={from} /> to <Time at={to} />.
        </Small>
      )}
      <Trouble error={query.error} />
      <Panel style={{ minHeight: 0, display: 'flex', flexDirection: 'column' }}>
        {query.isSuccess && rows.length === 0 && isFiltered ? (
          <Empty title="Nothing like that was left out">Take a mark away to see more.</Empty>
        ) : query.isSuccess && rows.length === 0 ? (
          <Empty title="Everything that was due was started">
            A start that is left out stands here with its reason: it came too late for its allowance, starts were
            switched off, the run before still went on, or there was no machine for it.
          </Empty>
        ) : (
          <Table
            label="Not started"
            rows={rows}
            headingOf={(row) => day(row.first, zone)}
            onOpen={(row) => router.push(`/timing/triggers/${row.triggerId}?tab=history`)}
            columns={columns.shown}
            foot={<div ref={end} style={{ height: 1 }} />}
          />
        )}
      </Panel>
    </Page>
  )
}
