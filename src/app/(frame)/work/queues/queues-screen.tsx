'use client'
import dynamic from 'next/dynamic'
import { useQuery } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import type { ReactNode } from 'react'
import type { QueueListed } from '@/service/queues/figures'
import { ExportButton } from '@/app/shared/exports/export-button'
import { api } from '@/ui/api'
import { clock, duration } from '@/ui/format'
import { useAddress } from '@/ui/hooks/address'
import { useMay, useMe } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { Crumb } from '@/ui/parts/crumb'
import { TextField } from '@/ui/parts/fields'
import { Empty, Page, Panel, Row, Small, Spring, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { StateWord } from '@/ui/parts/state-mark'
import { Table } from '@/ui/parts/table'
import { Ago } from '@/ui/parts/time'

const QueueDialog = dynamic(() => import('./queue-dialog').then((module) => module.QueueDialog), { ssr: false })

/** All work queues: what waits and for how long, what is being worked on and by whom, what a person has to look at. */
export function QueuesScreen(): ReactNode {
  const { values, set } = useAddress()
  const { zone } = useMe()
  const { why } = useMay('design')
  const router = useRouter()
  const { data, error } = useQuery({ queryKey: ['queues'], queryFn: () => api.get<QueueListed[]>('/queues') })
  const text = values.text?.toLowerCase() ?? ''
  const rows = data?.filter((queue) => `${queue.title} ${queue.area}`.toLowerCase().includes(text)) ?? []
  return (
    <Page style={{ overflow: 'hidden' }}>
      <Row $wrap>
        <Crumb href="/work">Work</Crumb>
        <h1>Queues</h1>
        <Small>What waits for robots or jobs to take it, one at a time.</Small>
        <Spring />
        <Button kind="strong" onPress={() => set({ new: '1' })} whyNot={why}>
          New queue
        </Button>
      </Row>
      <Trouble error={error} />
      <Panel style={{ minHeight: 0, display: 'flex', flexDirection: 'column' }}>
        {data?.length === 0 ? (
          <Empty title="No work queue yet">
            Refunds, bookings, letters: put them into a queue, by hand, by a program or from a run, and let robots or
            jobs take them one at a time. Each is done once, and what is wrong with one stops no other.
          </Empty>
        ) : (
          <>
            <Row style={{ padding: '8px 12px' }}>
              <div data-filter>
                <TextField
                  label="Title or area"
                  hideLabel
                  placeholder="Title or area"
                  value={values.text ?? ''}
                  onChange={(next) => set({ text: next }, 'replace')}
                  type="search"
                  width="220px"
                />
              </div>
              <Spring />
              <ExportButton list="queues" />
            </Row>
            <Table
              label="Work queues"
              rows={rows}
              onOpen={(queue) => router.push(`/work/queues/${queue.id}`)}
              isDim={(queue) => !queue.active}
              columns={[
                {
                  id: 'title',
                  title: 'Queue',
                  cell: (queue) => (
                    <>
                      <Link href={`/work/queues/${queue.id}`}>
                        <b>{queue.title}</b>
                      </Link>
                      {!queue.active && <Small> off</Small>}
                    </>
                  ),
                },
                { id: 'area', title: 'Area', cell: (queue) => <Small>{queue.area}</Small> },
                {
                  id: 'waiting',
                  title: 'Waiting',
                  align: 'right',
                  cell: (queue) => (
                    <Link href={`/work/queues/${queue.id}?state=waiting`}>{queue.waiting.toLocaleString('en')}</Link>
                  ),
                },
                {
                  id: 'oldest',
                  title: 'Oldest',
                  align: 'right',
                  cell: (queue) => queue.oldestAt && <Ago at={String(queue.oldestAt)} />,
                },
                {
                  id: 'taken',
                  title: 'Taken',
                  align: 'right',
                  cell: (queue) => <Link href={`/work/queues/${queue.id}?state=taken`}>{queue.taken}</Link>,
                },
                { id: 'by', title: 'By', cell: (queue) => <Small>{queue.takers.join(', ')}</Small> },
                {
                  id: 'done',
                  title: 'Done today',
                  align: 'right',
                  cell: (queue) => queue.doneToday.toLocaleString('en'),
                },
                { id: 'hour', title: 'An hour', align: 'right', cell: (queue) => queue.endedPerHour },
                {
                  id: 'bad',
                  title: 'Rejected, failed',
                  cell: (queue) =>
                    queue.rejected + queue.failed > 0 && (
                      <Link href={`/work/queues/${queue.id}?state=rejected,failed`}>
                        <StateWord mark="failed" word={`${queue.rejected}, ${queue.failed}`} />
                      </Link>
                    ),
                },
                {
                  id: 'due',
                  title: 'Past due',
                  align: 'right',
                  cell: (queue) =>
                    queue.overdue > 0 && (
                      <Link href={`/work/queues/${queue.id}?overdue=yes`} style={{ color: 'var(--late)' }}>
                        {queue.overdue}
                      </Link>
                    ),
                },
                { id: 'takes', title: 'One takes', align: 'right', cell: (queue) => duration(queue.meanMs) },
                {
                  id: 'empty',
                  title: 'Empty at about',
                  align: 'right',
                  cell: (queue) => queue.emptyAt && clock(String(queue.emptyAt), zone),
                },
              ]}
            />
          </>
        )}
      </Panel>
      {values.new === '1' && why === undefined && (
        <QueueDialog
          queue={null}
          onClose={() => set({ new: null }, 'replace')}
          onDone={(id) => router.push(`/work/queues/${id}`)}
        />
      )}
    </Page>
  )
}
