'use client'
import { useQuery } from '@tanstack/react-query'
import dynamic from 'next/dynamic'
import { useRouter } from 'next/navigation'
import { useMemo, useState, type ReactNode } from 'react'
import type { AreaRow } from '@/service/work/areas'
import type { JobRow } from '@/service/work/work'
import { ExportButton } from '@/app/shared/exports/export-button'
import { api } from '@/ui/api'
import { count, duration } from '@/ui/format'
import { useDrifts } from '@/app/shared/work/drifts'
import { useMay } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { DriftMark } from '@/app/shared/work/drift-mark'
import { TextField } from '@/ui/parts/fields'
import { Empty, Mute, Page, Panel, Row, Small, Split, Spring } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { StateWord, type Mark } from '@/ui/parts/state-mark'
import { Table } from '@/ui/parts/table'
import { ColumnsButton } from '@/app/shared/views/columns-button'
import { useColumns, type Choosable } from '@/app/shared/views/use-columns'
import { useViewed } from '@/app/shared/views/use-viewed'
import { ViewMenu } from '@/app/shared/views/view-menu'
import { Ago } from '@/ui/parts/time'
import { StartButton } from '@/app/shared/work/start-dialog'
import { targetWords } from '@/core/dispatch/target'
import { addressOf, KIND_WORDS } from '@/app/shared/work/words'
import { WhoMayButton } from '@/app/shared/people/who-may'
import { areasWithin, AreaShelf } from './area-shelf'
import { mayDesign } from '@/app/shared/work/designable'
import { NewArea } from './new-area'

// It comes when somebody opens it.
const AreaDialog = dynamic(() => import('./area-dialog').then((module) => module.AreaDialog), { ssr: false })

export function WorkScreen(): ReactNode {
  const viewed = useViewed('work')
  const { values, set } = viewed
  const router = useRouter()
  const somewhere = useMay('design')
  const [adding, setAdding] = useState(false)
  const [editing, setEditing] = useState(false)
  const [moving, setMoving] = useState<{ readonly id: number; readonly to: number | null } | null>(null)
  const { data: areas = [] } = useQuery({ queryKey: ['areas'], queryFn: () => api.get<AreaRow[]>('/areas') })
  const { data: jobs, isSuccess } = useQuery({ queryKey: ['jobs'], queryFn: () => api.get<JobRow[]>('/jobs') })
  const drifts = useDrifts()
  const columns = useColumns(viewed, columnsOf(drifts))
  const area = areas.find((a) => String(a.id) === values.area)
  const why = area && !mayDesign(area) ? `You may ${area.may} here; it takes design.` : somewhere.why
  const within = useMemo(() => area && areasWithin(areas, area.id), [areas, area])
  const text = (values.text ?? '').toLowerCase()
  const shown = (jobs ?? []).filter(
    (job) =>
      (!within || within.has(job.areaId)) &&
      (!values.kind || job.kind === values.kind) &&
      (text === '' || `${job.title} ${job.area} ${targetWords(job.target)}`.toLowerCase().includes(text)),
  )
  const newJob = (): void => router.push(area ? `/work/jobs/new?area=${area.id}` : '/work/jobs/new')
  return (
    <Split>
      <AreaShelf
        areas={areas}
        chosen={area}
        jobs={jobs?.length}
        onNew={() => setAdding(true)}
        onMove={(dragged, to) => setMoving({ id: dragged.id, to })}
      />
      <Page style={{ overflow: 'hidden' }}>
        <Row $wrap>
          <h1>{area?.path ?? 'All work'}</h1>
          <ViewMenu viewed={viewed} />
          {area?.notes && <Small>{area.notes}</Small>}
          {values.kind && (
            <Button kind="quiet" onPress={() => set({ kind: null })}>
              {KIND_WORDS[values.kind] ?? values.kind} only ×
            </Button>
          )}
          <Spring />
          {area && area.may !== 'none' && (
            <>
              <WhoMayButton path={`/areas/${area.id}`} title={area.title} />
              <Button onPress={() => setEditing(true)}>Area</Button>
            </>
          )}
          <div data-filter>
            <TextField
              label="Find a job or flow"
              hideLabel
              type="search"
              placeholder="Find a job or flow"
              value={values.text ?? ''}
              onChange={(value) => set({ text: value }, 'replace')}
              width="220px"
            />
          </div>
          <ColumnsButton {...columns} />
          <ExportButton
            list="work"
            values={{ ...(area ? { area: String(area.id) } : {}), kind: values.kind, text: values.text ?? '' }}
            columns={columns.shown.map(({ id }) => id)}
          />
          <Button
            onPress={() => router.push(area ? `/work/flows/new?area=${area.id}` : '/work/flows/new')}
            whyNot={why}
          >
            New flow
          </Button>
          <Button kind="strong" onPress={newJob} whyNot={why}>
            New job
          </Button>
        </Row>
        {isSuccess && shown.length === 0 ? (
          <Panel>
            {text ? (
              <Empty title="Nothing is called that">Try part of its title, its area or where it runs.</Empty>
            ) : areas.length === 0 ? (
              <Empty
                title="Begin with a job"
                action={
                  <Row>
                    <Button kind="strong" onPress={newJob} whyNot={why}>
                      New job
                    </Button>
                    <Button onPress={() => setAdding(true)} whyNot={why}>
                      New area
                    </Button>
                  </Row>
                }
              >
                A job says what is done, where, and what counts as success. It lies in an area, a folder of work, which
                is made on the way.
              </Empty>
            ) : (
              <Empty
                title="No job here yet"
                action={
                  <Button kind="strong" onPress={newJob} whyNot={why}>
                    New job
                  </Button>
                }
              >
                A job says what is done, where, and what counts as success. Start it by hand and watch its output
                arrive.
              </Empty>
            )}
          </Panel>
        ) : (
          <Panel style={{ minHeight: 0, display: 'flex', flexDirection: 'column' }}>
            <Table
              label="Jobs and flows"
              rows={shown}
              onOpen={(job) => router.push(addressOf(job))}
              isDim={(job) => !job.active}
              columns={columns.shown}
            />
          </Panel>
        )}
      </Page>
      <NewArea isOpen={adding} onClose={() => setAdding(false)} areas={areas} within={area?.id ?? null} />
      {moving && (
        <AreaDialog
          key={`${moving.id} ${moving.to}`}
          id={moving.id}
          moveTo={moving.to}
          areas={areas}
          isOpen
          onClose={() => setMoving(null)}
        />
      )}
      {area && editing && (
        <AreaDialog key={area.id} id={area.id} areas={areas} isOpen onClose={() => setEditing(false)} />
      )}
    </Split>
  )
}

const columnsOf = (drifts: ReturnType<typeof useDrifts>): readonly Choosable<JobRow>[] => [
  {
    id: 'title',
    always: true,
    title: 'Work',
    cell: (job) => (
      <Link href={addressOf(job)}>
        <b>{job.title}</b>
      </Link>
    ),
  },
  { id: 'area', title: 'Area', cell: (job) => job.area },
  {
    id: 'kind',
    title: 'Does',
    cell: (job) => (job.isFlow ? `flow of ${count(job.steps, 'step')}` : (KIND_WORDS[job.kind] ?? job.kind)),
  },
  { id: 'where', title: 'Where', cell: (job) => targetWords(job.target) },
  {
    id: 'usual',
    title: 'Usually',
    align: 'right',
    cell: (job) => (
      <>
        <DriftMark drift={drifts.get(job.id)} />
        {job.usualMs !== null && duration(job.usualMs)}
      </>
    ),
  },
  {
    id: 'last',
    title: 'Last run',
    cell: (job) =>
      job.lastRun ? (
        <Link href={`/runs/${job.lastRun.id}`}>
          <StateWord mark={job.lastRun.state as Mark} />
        </Link>
      ) : (
        <Mute>never</Mute>
      ),
  },
  {
    id: 'when',
    title: '',
    name: 'How long ago',
    cell: (job) => <Small>{job.lastRun && <Ago at={job.lastRun.at} />}</Small>,
  },
  { id: 'active', title: 'Switch', cell: (job) => (job.active ? 'on' : 'off') },
  {
    id: 'start',
    title: '',
    name: 'Start',
    cell: (job) => (
      <StartButton
        jobId={job.id}
        title={job.title}
        active={job.active}
        kind="quiet"
        what={job.isFlow ? 'flow' : 'job'}
      />
    ),
  },
]
