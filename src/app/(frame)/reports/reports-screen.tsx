'use client'
import { useQuery } from '@tanstack/react-query'
import dynamic from 'next/dynamic'
import { useRouter } from 'next/navigation'
import type { ReactNode } from 'react'
import { REPORT_KINDS } from '@/core/reports/kinds'
import { ofView } from '@/core/reports/of-view'
import type { ReportRow } from '@/service/reports/reports'
import { api } from '@/ui/api'
import { useAddress } from '@/ui/hooks/address'
import { Button, ButtonLink } from '@/ui/parts/button'
import { TextField } from '@/ui/parts/fields'
import { Empty, Page, Panel, Row, Small, Spring, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { Table } from '@/ui/parts/table'
import { Ago } from '@/ui/parts/time'
import { readersWords } from './readers-words'
import { periodWords } from './words'

const ReportDialog = dynamic(() => import('./report-dialog').then((module) => module.ReportDialog), { ssr: false })

/** What a new report takes of the list of runs that somebody came from: its address, or a view of it. */
function fromRuns(address: string): ReturnType<typeof ofView> {
  const { view, ...values } = Object.fromEntries(new URLSearchParams(address))
  return Number(view) > 0 ? { filter: { view: Number(view) }, left: [] } : ofView(values)
}

/** Reports that somebody may read: what each is about, what came of it last, who reads it. */
export function ReportsScreen(): ReactNode {
  const { values, set } = useAddress()
  const router = useRouter()
  const { data, error } = useQuery({ queryKey: ['reports'], queryFn: () => api.get<ReportRow[]>('/reports') })
  const text = values.text?.toLowerCase() ?? ''
  const rows =
    data?.filter((report) =>
      `${report.title} ${REPORT_KINDS[report.kind].title} ${report.owner ?? ''}`.toLowerCase().includes(text),
    ) ?? []
  const newReport = (
    <Button kind="strong" onPress={() => set({ new: '1' })}>
      New report
    </Button>
  )
  return (
    <Page style={{ overflow: 'hidden' }}>
      <Row $wrap>
        <h1>Reports</h1>
        <Small>What ran, what it took and what it was worth, for others to read.</Small>
        <Spring />
        <ButtonLink href="/reports/measures">Measures</ButtonLink>
        <ButtonLink href="/reports/worth">What work spares</ButtonLink>
        {newReport}
      </Row>
      <Trouble error={error} />
      <Panel style={{ minHeight: 0, display: 'flex', flexDirection: 'column' }}>
        {data?.length === 0 ? (
          <Empty title="No report yet" action={newReport}>
            A report shows a period: runs by day, failures and how long they took to put right, deadlines kept, load,
            work queues, what automation was worth. It is kept, printed, mailed as a PDF, and every figure leads to its
            rows.
          </Empty>
        ) : (
          <>
            <Row style={{ padding: '8px 12px' }}>
              <div data-filter>
                <TextField
                  label="Title, kind or owner"
                  hideLabel
                  placeholder="Title, kind or owner"
                  value={values.text ?? ''}
                  onChange={(next) => set({ text: next }, 'replace')}
                  type="search"
                  width="220px"
                />
              </div>
            </Row>
            <Table
              label="Reports"
              rows={rows}
              onOpen={(report) => router.push(`/reports/${report.id}`)}
              columns={[
                {
                  id: 'title',
                  title: 'Report',
                  cell: (report) => (
                    <Link href={`/reports/${report.id}`}>
                      <b>{report.title}</b>
                    </Link>
                  ),
                },
                { id: 'kind', title: 'Shows', cell: (report) => REPORT_KINDS[report.kind].title },
                { id: 'period', title: 'Period', cell: (report) => periodWords(report.period) },
                {
                  id: 'last',
                  title: 'Last made',
                  cell: (report) =>
                    report.lastMade ? (
                      <>
                        {report.lastMade.period}{' '}
                        <Small>
                          <Ago at={report.lastMade.at} />
                        </Small>
                      </>
                    ) : (
                      <Small>{report.last ? report.last.state : 'not yet'}</Small>
                    ),
                },
                { id: 'owner', title: 'Owner', cell: (report) => report.owner ?? <Small>nobody any more</Small> },
                { id: 'readers', title: 'Read by', cell: (report) => <Small>{readersWords(report)}</Small> },
                {
                  id: 'mail',
                  title: 'Mailed to',
                  align: 'right',
                  cell: (report) => (report.mail.length > 0 ? report.mail.length : ''),
                },
              ]}
            />
          </>
        )}
      </Panel>
      {values.new && (
        <ReportDialog
          report={null}
          {...(values.runs === undefined ? {} : { from: fromRuns(values.runs) })}
          onClose={() => set({ new: null, runs: null })}
          onDone={(id) => router.push(`/reports/${id}`)}
        />
      )}
    </Page>
  )
}
