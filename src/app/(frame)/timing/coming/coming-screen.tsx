'use client'
import { useQuery } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import type { ReactNode } from 'react'
import type { ComingPage, ComingStart } from '@/service/forecast/coming'
import { api, queryOf } from '@/ui/api'
import { day } from '@/ui/format'
import { useAddress } from '@/ui/hooks/address'
import { useMe } from '@/ui/hooks/me'
import { useNow } from '@/ui/hooks/now'
import { DaysButton } from '@/ui/parts/days-button'
import { Select } from '@/ui/parts/select'
import { Empty, Page, Panel, Row, Small, Spring, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { Table } from '@/ui/parts/table'
import { Time } from '@/ui/parts/time'
import { TimingNav } from '../timing-nav'

const AHEAD = { '1': 'the next hour', '8': 'the next 8 hours', '24': 'the next 24 hours', '168': 'the next 7 days' }
const USUAL = '24'
const CHOSEN = 'chosen'

/** What is to start, in its order: of the next hours, or of a stretch chosen here or on the day line. */
export function ComingScreen(): ReactNode {
  const { values, set } = useAddress()
  const { zone } = useMe()
  const nowMs = useNow(60_000)
  const router = useRouter()
  const isChosen = values.from !== undefined && values.to !== undefined
  const hours = (values.hours ?? USUAL) in AHEAD ? (values.hours ?? USUAL) : USUAL
  const query = useQuery({
    queryKey: ['coming', 'list', values.from, values.to, hours],
    queryFn: () => {
      const now = Date.now()
      const ahead = { from: new Date(now).toISOString(), to: new Date(now + Number(hours) * 3_600_000).toISOString() }
      return api.get<ComingPage>(`/coming-starts${queryOf(isChosen ? { from: values.from, to: values.to } : ahead)}`)
    },
    refetchInterval: 60_000,
    placeholderData: (before) => before,
  })
  const rows = query.data?.rows ?? []
  const isPast = isChosen && nowMs > 0 && Date.parse(values.to as string) <= nowMs
  return (
    <Page style={{ overflow: 'hidden' }}>
      <Row>
        <h1>Timing</h1>
        <TimingNav />
        <Spring />
        {query.isSuccess && (
          <Small>
            {query.data.more
              ? `the first ${rows.length} starts`
              : rows.length === 1
                ? 'one start'
                : `${rows.length} starts`}
          </Small>
        )}
        <Select
          label="Which stretch"
          hideLabel
          value={isChosen ? CHOSEN : hours}
          onChange={(id) => id !== CHOSEN && set({ from: null, to: null, hours: id === USUAL ? null : id })}
          choices={[
            ...Object.entries(AHEAD).map(([id, title]) => ({ id, title })),
            ...(isChosen ? [{ id: CHOSEN, title: 'as chosen below' }] : []),
          ]}
          width="150px"
        />
        <DaysButton onDays={(days) => set({ ...days, hours: null })} />
      </Row>
      {isChosen && (
        <Row>
          <Small>
            From <Time at={values.from as string} /> to <Time at={values.to as string} />.
          </Small>
          {isPast && (
            <Small>
              That is over: <Link href={`/runs${queryOf({ from: values.from, to: values.to })}`}>what ran then</Link>.
            </Small>
          )}
        </Row>
      )}
      <Trouble error={query.error} />
      <Panel style={{ minHeight: 0, display: 'flex', flexDirection: 'column' }}>
        {query.isSuccess && rows.length === 0 ? (
          <Empty title="Nothing is to start by itself in this stretch">
            Triggers that are off, or whose job is off, start nothing. Choose another stretch above, or drag over one on
            the day line.
          </Empty>
        ) : (
          <Table
            label="Next starts"
            rows={rows.map((row, id) => ({ ...row, id }))}
            onOpen={(row) => router.push(`/timing/triggers/${row.triggerId}`)}
            headingOf={(row) => day(row.at, zone)}
            columns={[
              { id: 'at', title: 'Starts', cell: (row) => <Time at={row.at} withRelative /> },
              {
                id: 'title',
                title: 'Trigger',
                maxWidth: 300,
                cell: (row: ComingStart) => (
                  <Link href={`/timing/triggers/${row.triggerId}`}>
                    <b>{row.title}</b>
                  </Link>
                ),
              },
              { id: 'where', title: 'Goes to', cell: (row) => row.goesTo },
              {
                id: 'says',
                title: 'Because',
                maxWidth: 340,
                cell: (row) => <Small title={row.says}>{row.says}</Small>,
              },
              { id: 'due', title: 'To finish by', cell: (row) => row.dueAt !== null && <Time at={row.dueAt} /> },
            ]}
          />
        )}
      </Panel>
      {query.data?.more && rows.length > 0 && (
        <Row>
          <Small>More start in this stretch.</Small>
          <Link
            href={`/timing/coming${queryOf({
              from: rows.at(-1)?.at,
              to: isChosen ? values.to : new Date(nowMs + Number(hours) * 3_600_000).toISOString(),
            })}`}
          >
            Go on from there
          </Link>
        </Row>
      )}
    </Page>
  )
}
