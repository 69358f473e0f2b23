'use client'
import dynamic from 'next/dynamic'
import { useInfiniteQuery, useQuery } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import { useMemo, useState, type ReactNode } from 'react'
import { ITEM_STATES } from '@/core/events/item'
import type { QueueListed } from '@/service/queues/figures'
import type { ItemRow } from '@/service/queues/items'
import type { QueueFull } from '@/service/queues/queues'
import { ExportButton } from '@/app/shared/exports/export-button'
import { api, queryOf } from '@/ui/api'
import { clock, count, duration } from '@/ui/format'
import { useAddress } from '@/ui/hooks/address'
import { useEndless } from '@/ui/hooks/endless'
import { useMe } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { Crumb } from '@/ui/parts/crumb'
import { Checkbox, TextField } from '@/ui/parts/fields'
import { Empty, FactItem, Facts, Mono, Page, Panel, Row, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { Select } from '@/ui/parts/select'
import { StateWord } from '@/ui/parts/state-mark'
import { Table } from '@/ui/parts/table'
import { Ago, Took } from '@/ui/parts/time'
import { withOrWithout } from '@/ui/sets'
import { useViewed } from '@/app/shared/views/use-viewed'
import { ViewMenu } from '@/app/shared/views/view-menu'
import { areNumbers, inShort, ITEM_MARKS, namesIn, valueOf } from '../item-words'
import { ItemPanel } from './item-panel'
import { ManyItems } from './many-items'

const Tide = dynamic(() => import('./tide').then((module) => module.Tide), { ssr: false })
const AddItem = dynamic(() => import('./add-items').then((module) => module.AddItem), { ssr: false })
const ItemsFileDialog = dynamic(() => import('./items-file-dialog').then((module) => module.ItemsFileDialog), {
  ssr: false,
})
const QueueDialog = dynamic(() => import('../queue-dialog').then((module) => module.QueueDialog), { ssr: false })

/** States that are looked at together. */
const SHOWN = [
  { id: '', title: 'all items' },
  { id: 'waiting,taken,rejected,failed', title: 'open, rejected, failed' },
  { id: 'rejected,failed', title: 'rejected or failed' },
  ...ITEM_STATES.map((id) => ({ id, title: id })),
]
const FILTERS = ['state', 'key', 'overdue', 'run', 'cameFrom', 'cameTo', 'endedFrom', 'endedTo', 'priority']
const MOST_COLUMNS = 3

export function QueueScreen({ id }: { id: number }): ReactNode {
  const { values, set } = useAddress()
  const router = useRouter()
  const { data: queue, error } = useQuery({
    queryKey: ['queues', id],
    queryFn: () => api.get<QueueFull>(`/queues/${id}`),
  })
  const { data: all } = useQuery({ queryKey: ['queues'], queryFn: () => api.get<QueueListed[]>('/queues') })
  const figures = all?.find((one) => one.id === id)
  if (error)
    return (
      <Page>
        <Trouble error={error} />
      </Page>
    )
  if (!queue) return <Page aria-busy="true" />
  const mayOperate = queue.may !== 'see' && queue.may !== 'none'
  const mayDesign = queue.may === 'design' || queue.may === 'manage'
  return (
    <Page style={{ overflow: 'hidden' }}>
      <Row $wrap>
        <Crumb href="/work/queues">Queues</Crumb>
        <h1>{queue.title}</h1>
        <Small>
          {queue.active ? 'on' : 'off: items arrive, and none is taken'} ·{' '}
          {count(queue.tries, 'try').replace('trys', 'tries')}
          {queue.tries > 1 && `, ${duration(queue.delaySeconds * 1000)} apart`}
          {queue.keys !== 'none' && ` · a key is there once${queue.keys === 'open' ? ' while it is open' : ', ever'}`}
        </Small>
        <Spring />
        <Button
          onPress={() => set({ add: '1' })}
          whyNot={mayOperate ? undefined : 'It takes the right to operate here.'}
        >
          Add an item
        </Button>
        <Button
          onPress={() => set({ file: '1' })}
          whyNot={mayOperate ? undefined : 'It takes the right to operate here.'}
        >
          From a file …
        </Button>
        <Button
          onPress={() => set({ settings: '1' })}
          whyNot={mayDesign ? undefined : 'It takes the right to design here.'}
        >
          Settings
        </Button>
      </Row>
      {figures && <Figures figures={figures} />}
      <Row $top $gap={12} style={{ minHeight: 0, flex: 1, alignItems: 'stretch' }}>
        <Stack $gap={12} style={{ flex: 1, minHeight: 0 }}>
          <Tide id={id} />
          <Items queue={queue} mayOperate={mayOperate} />
        </Stack>
        {values.item && /^\d{1,15}$/.test(values.item) && (
          <ItemPanel id={Number(values.item)} queue={queue} onClose={() => set({ item: null })} />
        )}
      </Row>
      {values.add === '1' && mayOperate && <AddItem queue={queue} onClose={() => set({ add: null }, 'replace')} />}
      {values.file === '1' && mayOperate && (
        <ItemsFileDialog queue={queue} onClose={() => set({ file: null }, 'replace')} />
      )}
      {values.settings === '1' && mayDesign && (
        <QueueDialog
          queue={queue}
          onClose={() => set({ settings: null }, 'replace')}
          onDone={() => router.push('/work/queues')}
        />
      )}
    </Page>
  )
}

function Figures({ figures }: { figures: QueueListed }): ReactNode {
  const { zone } = useMe()
  const to = (query: string): string => `/work/queues/${figures.id}?${query}`
  return (
    <Facts>
      <FactItem name="waiting">
        <Link href={to('state=waiting')}>{figures.waiting.toLocaleString('en')}</Link>
        {figures.oldestAt && (
          <Small>
            {' '}
            oldest <Ago at={String(figures.oldestAt)} />
          </Small>
        )}
      </FactItem>
      <FactItem name="taken">
        <Link href={to('state=taken')}>{figures.taken}</Link>
        {figures.takers.length > 0 && <Small> by {figures.takers.join(', ')}</Small>}
      </FactItem>
      <FactItem name="done today">
        <Link href={to(`state=done&endedFrom=${String(figures.todayAt)}`)}>
          {figures.doneToday.toLocaleString('en')}
        </Link>{' '}
        <Small>{figures.endedPerHour} ended in the last hour</Small>
      </FactItem>
      <FactItem name="rejected">
        <Link href={to('state=rejected')} style={figures.rejected > 0 ? { color: 'var(--failed)' } : {}}>
          {figures.rejected}
        </Link>
      </FactItem>
      <FactItem name="failed">
        <Link href={to('state=failed')} style={figures.failed > 0 ? { color: 'var(--failed)' } : {}}>
          {figures.failed}
        </Link>
      </FactItem>
      <FactItem name="one takes">{figures.meanMs === null ? '—' : duration(figures.meanMs)}</FactItem>
      {figures.emptyAt && <FactItem name="empty at about">{clock(String(figures.emptyAt), zone)}</FactItem>}
      {figures.overdue > 0 && (
        <FactItem name="past due">
          <Link href={to('overdue=yes')} style={{ color: 'var(--late)' }}>
            {figures.overdue}
          </Link>
        </FactItem>
      )}
    </Facts>
  )
}

interface PageOf {
  readonly rows: ItemRow[]
  readonly after: number | null
}

function Items({ queue, mayOperate }: { queue: QueueFull; mayOperate: boolean }): ReactNode {
  const viewed = useViewed('items', queue.id)
  const { values, set, isReady } = viewed
  const [chosen, setChosen] = useState<ReadonlySet<number>>(new Set())
  const [isAll, setAll] = useState(false)
  const filter = Object.fromEntries(FILTERS.flatMap((key) => (values[key] ? [[key, values[key]]] : [])))
  const query = useInfiniteQuery({
    queryKey: ['items', queue.id, filter],
    enabled: isReady,
    queryFn: ({ pageParam }) => api.get<PageOf>(`/queues/${queue.id}/items${queryOf({ ...filter, after: pageParam })}`),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (last) => (last.after === null ? undefined : String(last.after)),
    placeholderData: (before) => before,
  })
  const rows = useMemo(() => query.data?.pages.flatMap((page) => page.rows) ?? [], [query.data])
  const end = useEndless(query.fetchNextPage, query.hasNextPage, rows.length)
  const all = useMemo(() => rows.map(({ data }) => data), [rows])
  const names = useMemo(() => namesIn(all), [all])
  const shown = values.columns?.split(',').filter((name) => names.includes(name)) ?? names.slice(0, MOST_COLUMNS)
  const figures = new Set(shown.filter((name) => areNumbers(all, name)))
  const stretch = ['cameFrom', 'cameTo', 'endedFrom', 'endedTo', 'run', 'overdue', 'priority'].filter(
    (key) => values[key],
  )
  const clear = (): void => {
    setChosen(new Set())
    setAll(false)
  }
  return (
    <>
      {(chosen.size > 0 || isAll) && (
        <ManyItems
          queueId={queue.id}
          which={
            isAll
              ? { filter: { ...filter, ...(filter.state ? { state: filter.state.split(',') } : {}) } }
              : { ids: [...chosen] }
          }
          says={isAll ? 'All that the filter shows' : `${count(chosen.size, 'item')} chosen`}
          onClear={clear}
          whyNot={mayOperate ? undefined : 'It takes the right to operate here.'}
        />
      )}
      <Panel style={{ minHeight: 160, display: 'flex', flexDirection: 'column', flex: 1 }}>
        <Row style={{ padding: '8px 12px' }} $wrap>
          <ViewMenu viewed={viewed} />
          <Select
            label="Which items"
            hideLabel
            value={values.state ?? ''}
            onChange={(state) => set({ state: state || null })}
            choices={
              SHOWN.some(({ id }) => id === (values.state ?? ''))
                ? SHOWN
                : [...SHOWN, { id: values.state ?? '', title: values.state ?? '' }]
            }
            width="190px"
          />
          <div data-filter>
            <TextField
              label="Key or number"
              hideLabel
              placeholder="key begins with, or number"
              value={values.key ?? ''}
              onChange={(key) => set({ key }, 'replace')}
              type="search"
              width="240px"
            />
          </div>
          {stretch.length > 0 && (
            <Button onPress={() => set(Object.fromEntries(stretch.map((key) => [key, null])))}>
              {stretch.includes('overdue')
                ? 'past due'
                : stretch.includes('run')
                  ? `of #${values.run}`
                  : 'of a stretch'}{' '}
              ×
            </Button>
          )}
          {names.map((name) => (
            <Checkbox
              key={name}
              isSelected={shown.includes(name)}
              onChange={(on) =>
                set({ columns: (on ? [...shown, name] : shown.filter((one) => one !== name)).join(',') }, 'replace')
              }
            >
              {name}
            </Checkbox>
          ))}
          <Spring />
          <ExportButton
            list="items"
            of={queue.id}
            values={filter}
            columns={['key', 'state', ...shown, 'by', 'run', 'for', 'came', 'why']}
          />
          {rows.length > 0 && <Button onPress={() => setAll(true)}>Choose all …</Button>}
        </Row>
        <Trouble error={query.error} />
        {query.isSuccess && rows.length === 0 ? (
          <Empty title={Object.keys(filter).length > 0 ? 'No item fits' : 'It is empty'}>
            {Object.keys(filter).length > 0
              ? 'Nothing has all of these marks. Take one away.'
              : 'Items come by hand, by a program over the API, or from a run whose job may add to it.'}
          </Empty>
        ) : (
          <Table
            label="Items"
            rows={rows}
            onOpen={(row) => set({ item: String(row.id) })}
            isDim={(row) => row.state === 'withdrawn'}
            foot={<div ref={end} />}
            columns={[
              {
                id: 'choose',
                title: '',
                width: 34,
                cell: (row) => (
                  <Checkbox
                    isSelected={isAll || chosen.has(row.id)}
                    onChange={(on) => setChosen(withOrWithout(chosen, row.id, on))}
                  >
                    <span className="visually-hidden">Choose item {row.id}</span>
                  </Checkbox>
                ),
              },
              { id: 'key', title: 'Key', cell: (row) => <Mono>{row.key ?? `item ${row.id}`}</Mono> },
              {
                id: 'state',
                title: 'State',
                cell: (row) => <StateWord mark={ITEM_MARKS[row.state]} word={row.state} />,
              },
              ...shown.map((name) => ({
                id: `data ${name}`,
                title: name,
                maxWidth: 180,
                ...(figures.has(name) && { align: 'right' as const }),
                cell: (row: ItemRow) => inShort(valueOf(row.data, name)),
              })),
              { id: 'by', title: 'Robot', cell: (row) => row.robot ?? row.agent ?? '' },
              {
                id: 'run',
                title: 'Run',
                cell: (row) => row.runId !== null && <Link href={`/runs/${row.runId}`}>#{row.runId}</Link>,
              },
              {
                id: 'for',
                title: 'For',
                align: 'right',
                cell: (row) =>
                  row.takenAt && <Took from={String(row.takenAt)} to={row.takeEndedAt && String(row.takeEndedAt)} />,
              },
              { id: 'came', title: 'Came', align: 'right', cell: (row) => <Ago at={String(row.createdAt)} /> },
              {
                id: 'why',
                title: 'Why',
                cell: (row) => (
                  <span title={row.reason}>{row.reason || (row.priority === 'normal' ? '' : row.priority)}</span>
                ),
              },
            ]}
          />
        )}
      </Panel>
    </>
  )
}
