'use client'
import dynamic from 'next/dynamic'
import { useQuery } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import type { ReactNode } from 'react'
import { fitsSystem, SYSTEM_KINDS, SYSTEM_STATES, type SystemState } from '@/core/fleet/system-state'
import type { SystemRow } from '@/service/work/system-pages'
import { ExportButton } from '@/app/shared/exports/export-button'
import { ColumnsButton } from '@/app/shared/views/columns-button'
import { useColumns, type Choosable } from '@/app/shared/views/use-columns'
import { useViewed } from '@/app/shared/views/use-viewed'
import { ViewMenu } from '@/app/shared/views/view-menu'
import { api } from '@/ui/api'
import { useMay } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { TextField } from '@/ui/parts/fields'
import { Empty, Mono, Row, Small, Spring, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { Select } from '@/ui/parts/select'
import { StateWord } from '@/ui/parts/state-mark'
import { Table } from '@/ui/parts/table'
import { Ago, Until } from '@/ui/parts/time'
import { SYSTEM_MARKS } from './system-words'

const SystemDialog = dynamic(() => import('./system-dialog').then((module) => module.SystemDialog), { ssr: false })
const FoundDialog = dynamic(() => import('./systems-found-dialog').then((module) => module.SystemsFoundDialog), {
  ssr: false,
})

const COLUMNS: readonly Choosable<SystemRow>[] = [
  {
    id: 'title',
    always: true,
    title: 'System',
    cell: (s) => (
      <Link href={`/fleet/systems/${s.id}`}>
        <b>{s.title}</b>
      </Link>
    ),
  },
  {
    id: 'state',
    title: 'State',
    cell: (s) => <StateWord mark={SYSTEM_MARKS[s.state]} word={SYSTEM_STATES[s.state]} />,
  },
  { id: 'why', title: 'Why', cell: (s) => <span title={s.why.join(' ')}>{s.why.join(' ')}</span> },
  { id: 'kind', title: 'Kind', cell: (s) => <Small>{s.kind}</Small> },
  {
    id: 'host',
    title: 'Address',
    cell: (s) => s.host !== null && <Mono>{s.port === null ? s.host : `${s.host}:${s.port}`}</Mono>,
  },
  {
    id: 'on',
    title: 'Runs on',
    cell: (s) =>
      s.on.map(({ id, title }, i) => (
        <span key={id}>
          {i > 0 && ', '}
          <Link href={`/fleet/systems/${id}`}>{title}</Link>
        </span>
      )),
  },
  {
    id: 'jobs',
    title: 'Jobs',
    align: 'right',
    cell: (s) => s.jobs > 0 && <Link href={`/fleet/systems/${s.id}`}>{s.jobs}</Link>,
  },
  { id: 'last', title: 'Last run', align: 'right', cell: (s) => s.lastAt && <Ago at={String(s.lastAt)} /> },
  { id: 'next', title: 'Next', align: 'right', cell: (s) => s.nextAt && <Until at={String(s.nextAt)} /> },
]

/** What work serves or is done on, without an agent of its own. */
export function Systems(): ReactNode {
  const viewed = useViewed('systems')
  const { values, set } = viewed
  const columns = useColumns(viewed, COLUMNS)
  const { why } = useMay('administer')
  const router = useRouter()
  const { data: all, error } = useQuery({ queryKey: ['systems'], queryFn: () => api.get<SystemRow[]>('/systems') })
  if (error) return <Trouble error={error} />
  if (!all) return null
  const { text = '', kind, state } = values
  // There are hundreds at most: what fits is found here, at once.
  const rows = all.filter((row) => fitsSystem(row, { text, kind, state }))
  const any = { id: '', title: 'any' }
  const buttons = (
    <>
      <Button onPress={() => set({ of: 'jobs' })} whyNot={why}>
        Make systems of what jobs reach
      </Button>
      <Button onPress={() => set({ add: '1' })} whyNot={why}>
        New system
      </Button>
    </>
  )
  return (
    <>
      {all.length === 0 ? (
        <Empty title="No system yet" action={<Row>{buttons}</Row>}>
          A system is what work is done on without an agent there: an application, a database, a host. Its address, its
          account and the pool that reaches it stand in one place; its jobs, how they went and what is wrong stand on
          one page.
        </Empty>
      ) : (
        <>
          <Row style={{ padding: '8px 12px' }} $top $wrap>
            <div data-filter>
              <TextField
                label="Name or address"
                value={text}
                onChange={(next) => set({ text: next }, 'replace')}
                type="search"
                width="200px"
              />
            </div>
            <Select
              label="Kind"
              value={kind ?? ''}
              onChange={(next) => set({ kind: next || null })}
              choices={[any, ...Object.keys(SYSTEM_KINDS).map((id) => ({ id, title: id }))]}
              width="130px"
            />
            <Select
              label="State"
              value={state ?? ''}
              onChange={(next) => set({ state: next || null })}
              choices={[any, ...Object.entries(SYSTEM_STATES).map(([id, title]) => ({ id: id as SystemState, title }))]}
              width="160px"
            />
            <Spring />
            <Row style={{ paddingTop: 17 }} $wrap>
              <ViewMenu viewed={viewed} />
              <ColumnsButton {...columns} />
              <ExportButton
                list="systems"
                values={{ text: values.text, kind, state }}
                columns={columns.shown.map(({ id }) => id)}
              />
              {buttons}
            </Row>
          </Row>
          {rows.length === 0 ? (
            <Empty title="No system fits">Nothing has all of these marks. Take one away.</Empty>
          ) : (
            <Table
              label="Systems"
              rows={rows}
              onOpen={(system) => router.push(`/fleet/systems/${system.id}`)}
              columns={columns.shown}
            />
          )}
        </>
      )}
      {values.add === '1' && why === undefined && (
        <SystemDialog
          system={null}
          onClose={() => set({ add: null }, 'replace')}
          onDone={(id) => router.push(`/fleet/systems/${id}`)}
        />
      )}
      {values.of === 'jobs' && why === undefined && <FoundDialog onClose={() => set({ of: null }, 'replace')} />}
    </>
  )
}
