'use client'
import { useQuery } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import { useMemo, type ReactNode } from 'react'
import { StretchSelect, useStretch } from '@/app/shared/stretch-select'
import dynamic from 'next/dynamic'
import { ROBOT_STATES } from '@/core/fleet/robot-state'
import type { RobotPiece, RobotWork } from '@/service/fleet/robot-work'
import type { RobotRow } from '@/service/fleet/robots'
import { ExportButton } from '@/app/shared/exports/export-button'
import { api, queryOf } from '@/ui/api'
import { count } from '@/ui/format'
import { useMay } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { TextField } from '@/ui/parts/fields'
import { Empty, Row, Small, Spring, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { Select } from '@/ui/parts/select'
import { StateWord } from '@/ui/parts/state-mark'
import { Table } from '@/ui/parts/table'
import { ColumnsButton } from '@/app/shared/views/columns-button'
import { useColumns, type Choosable } from '@/app/shared/views/use-columns'
import { useViewed } from '@/app/shared/views/use-viewed'
import { ViewMenu } from '@/app/shared/views/view-menu'
import { Ago } from '@/ui/parts/time'
import { RobotLane } from './robot-lane'
import { ROBOT_MARKS } from './robot-words'

const RobotDialog = dynamic(() => import('./robot-dialog').then((module) => module.RobotDialog), { ssr: false })
const FileDialog = dynamic(() => import('./robots-file-dialog').then((module) => module.RobotsFileDialog), {
  ssr: false,
})

/** All robots: what each is doing and since when, who did what over a stretch, and how busy each was. */
export function Robots(): ReactNode {
  const viewed = useViewed('robots')
  const { values, set } = viewed
  const { why } = useMay('administer')
  const router = useRouter()
  const filter = {
    text: values.text,
    state: values.state,
    kind: values.kind,
    pool: values.pool,
    agent: values.machine,
    account: values.account,
    label: values.label,
  }
  const over = useStretch()
  const { data: all, error } = useQuery({ queryKey: ['robots'], queryFn: () => api.get<RobotRow[]>('/robots') })
  const isFiltered = Object.values(filter).some(Boolean)
  const { data: fitting } = useQuery({
    queryKey: ['robots', filter],
    queryFn: () => api.get<RobotRow[]>(`/robots${queryOf(filter)}`),
    placeholderData: (before) => before ?? all,
    enabled: isFiltered,
  })
  const rows = isFiltered ? fitting : all
  const { data: work } = useQuery({
    queryKey: ['robots', 'work', over],
    queryFn: () => api.get<RobotWork>(`/robots/work?over=${over}`),
  })
  const piecesOf = useMemo(() => {
    const map = new Map<number, RobotPiece[]>()
    for (const piece of work?.pieces ?? []) {
      const list = map.get(piece.robotId)
      if (list) list.push(piece)
      else map.set(piece.robotId, [piece])
    }
    return map
  }, [work])
  const columns = useColumns(viewed, columnsOf(work, piecesOf))
  if (error) return <Trouble error={error} />
  if (!all) return null
  const any = { id: '', title: 'any' }
  const among = (of: (robot: RobotRow) => readonly string[]): { id: string; title: string }[] => [
    any,
    ...[...new Set(all.flatMap(of))].sort().map((id) => ({ id, title: id })),
  ]
  const pick = (key: string) => (value: string) => set({ [key]: value || null })
  const dialogs = (
    <>
      {values.register === '1' && why === undefined && (
        <RobotDialog
          robot={null}
          isOpen
          {...(values.on ? { agentName: values.on } : {})}
          onClose={() => set({ register: null, on: null }, 'replace')}
          onDone={(id) => router.push(`/fleet/robots/${id}`)}
        />
      )}
      {values.file === '1' && why === undefined && <FileDialog onClose={() => set({ file: null }, 'replace')} />}
    </>
  )
  if (all.length === 0)
    return (
      <>
        <Empty
          title="No robot is registered yet"
          action={
            <Button kind="strong" onPress={() => set({ register: '1' })} whyNot={why}>
              Register a robot
            </Button>
          }
        >
          A robot is one account on one agent’s machine: it works there as a person would, one thing at a time, and
          takes no slot. Jobs are sent to one robot, to those of a pool, or to any with certain labels.
        </Empty>
        {dialogs}
      </>
    )
  return (
    <>
      <Row style={{ padding: '8px 12px' }} $top $wrap>
        <div data-filter>
          <TextField
            label="Name, machine or account"
            value={values.text ?? ''}
            onChange={(text) => set({ text }, 'replace')}
            type="search"
            width="150px"
          />
        </div>
        <Select
          label="State"
          value={values.state ?? ''}
          onChange={pick('state')}
          choices={[any, ...Object.entries(ROBOT_STATES).map(([id, title]) => ({ id, title }))]}
          width="140px"
        />
        <Select
          label="Kind"
          value={values.kind ?? ''}
          onChange={pick('kind')}
          choices={[any, { id: 'attended', title: 'attended' }, { id: 'unattended', title: 'unattended' }]}
          width="100px"
        />
        <Select
          label="Machine"
          value={values.machine ?? ''}
          onChange={pick('machine')}
          choices={among((robot) => [robot.agent])}
          width="115px"
        />
        <Select
          label="Account"
          value={values.account ?? ''}
          onChange={pick('account')}
          choices={among((robot) => [robot.account])}
          width="115px"
        />
        <Select
          label="Pool"
          value={values.pool ?? ''}
          onChange={pick('pool')}
          choices={among((robot) => robot.pools.map(({ name }) => name))}
          width="100px"
        />
        <Select
          label="Label"
          value={values.label ?? ''}
          onChange={pick('label')}
          choices={among((robot) => Object.entries(robot.labels).map(([k, v]) => `${k}=${v}`))}
          width="90px"
        />
        <Spring />
        <Row style={{ paddingTop: 17 }}>
          <ViewMenu viewed={viewed} />
          <Button onPress={() => set({ file: '1' })} whyNot={why}>
            From a file …
          </Button>
          <Button kind="strong" onPress={() => set({ register: '1' })} whyNot={why}>
            Register a robot
          </Button>
        </Row>
      </Row>
      {rows?.length === 0 ? (
        <Empty title="No robot fits">Nothing has all of these marks. Take one away.</Empty>
      ) : (
        <Table
          label="Robots"
          rows={rows ?? []}
          onOpen={(robot) => router.push(`/fleet/robots/${robot.id}`)}
          isDim={(robot) => robot.state === 'off'}
          columns={columns.shown}
        />
      )}
      <Row style={{ padding: '6px 12px' }}>
        <Small>{count(rows?.length ?? 0, 'robot')}; how busy they were, and what they did, over the</Small>
        <StretchSelect />
        <Spring />
        <ColumnsButton {...columns} />
        <ExportButton list="robots" values={filter} columns={columns.shown.map(({ id }) => id)} />
      </Row>
      {dialogs}
    </>
  )
}

/** @param work what they did over the stretch; undefined: it is not known yet */
const columnsOf = (
  work: RobotWork | undefined,
  piecesOf: ReadonlyMap<number, RobotPiece[]>,
): readonly Choosable<RobotRow>[] => [
  {
    id: 'name',
    always: true,
    title: 'Robot',
    cell: (robot) => (
      <Link href={`/fleet/robots/${robot.id}`}>
        <b>{robot.name}</b>
      </Link>
    ),
  },
  {
    id: 'state',
    title: 'State',
    cell: (robot) => (
      <span title={robot.why ?? undefined}>
        <StateWord mark={ROBOT_MARKS[robot.state]} word={ROBOT_STATES[robot.state]} />
        {robot.runId !== null && robot.state === 'busy' && (
          <>
            {' with '}
            <Link href={`/runs/${robot.runId}`}>#{robot.runId}</Link>
          </>
        )}
      </span>
    ),
  },
  { id: 'since', title: 'Since', cell: (robot) => robot.since && <Ago at={String(robot.since)} /> },
  { id: 'kind', title: 'Kind', cell: (robot) => <Small>{robot.kind}</Small> },
  {
    id: 'machine',
    title: 'Machine',
    cell: (robot) => <Link href={`/fleet/agents/${robot.agentId}`}>{robot.agent}</Link>,
  },
  { id: 'account', title: 'Account', cell: (robot) => robot.account },
  { id: 'hours', title: 'Hours', cell: (robot) => <Small title={robot.hours}>{robot.hours}</Small> },
  {
    id: 'pools',
    title: 'Pools',
    cell: (robot) => robot.pools.map((p) => (p.active ? p.name : `${p.name} (off)`)).join(', '),
  },
  {
    id: 'busy',
    title: 'Busy',
    align: 'right',
    cell: (robot) => (work ? `${Math.round((work.busy[robot.id] ?? 0) * 100)} %` : ''),
  },
  {
    id: 'did',
    title: 'Did',
    cell: (robot) =>
      work && <RobotLane work={work} pieces={piecesOf.get(robot.id) ?? []} label={`What ${robot.name} did`} />,
  },
]
