'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import dynamic from 'next/dynamic'
import { useRouter } from 'next/navigation'
import { useState, type ReactNode } from 'react'
import styled from 'styled-components'
import { REPORT_KINDS } from '@/core/reports/kinds'
import type { ReportRow } from '@/service/reports/reports'
import type { ResultFull, ResultRow } from '@/service/reports/results'
import { api, type ApiProblem } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { Button, Download } from '@/ui/parts/button'
import { Crumb } from '@/ui/parts/crumb'
import { Dialog, DialogButtons } from '@/ui/parts/dialog'
import { Empty, Page, Panel, Row, Shelf, Small, Split, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { NoSuch } from '@/ui/parts/no-such'
import { Ago, Time } from '@/ui/parts/time'
import { anchorOf, DocumentView } from '../document-view'
import { readersWords } from '../readers-words'
import { periodWords } from '../words'

const ReportDialog = dynamic(() => import('../report-dialog').then((module) => module.ReportDialog), { ssr: false })

const List = styled.ol`
  list-style: none;
  margin: 0;
  padding: 0;
  display: flex;
  flex-direction: column;
  gap: 6px;
`

const isUnderWay = ({ state }: ResultRow): boolean => state === 'waiting' || state === 'making'

/** A report: its newest result or one that was chosen, what is in it, and all that were made. */
export function ReportScreen({ id, resultId }: { id: number; resultId?: number }): ReactNode {
  const router = useRouter()
  const client = useQueryClient()
  const say = useSay()
  const [changing, setChanging] = useState(false)
  const [removing, setRemoving] = useState(false)
  const report = useQuery({ queryKey: ['reports', id], queryFn: () => api.get<ReportRow>(`/reports/${id}`) })
  const { data: results } = useQuery({
    queryKey: ['reports', id, 'results'],
    queryFn: () => api.get<ResultRow[]>(`/reports/${id}/results`),
    // How far one is that is being made is told too; should that be cut, it is looked at.
    refetchInterval: ({ state }) => (state.data?.some(isUnderWay) ? 3000 : false),
  })
  const shownId = resultId ?? results?.find(({ state }) => state === 'made')?.id
  const { data: shown, error: shownError } = useQuery({
    // What was made stays as it is.
    queryKey: ['report-result', shownId],
    queryFn: () => api.get<ResultFull>(`/report-results/${shownId}`),
    enabled: shownId !== undefined,
  })
  if (report.error) return <NoSuch error={report.error} href="/reports" back="Reports" />
  if (!report.data) return null
  const { title, kind, mayChange, owner } = report.data
  const again = (): void => void client.invalidateQueries({ queryKey: ['reports'] })
  const failed = (error: ApiProblem): void => say(error.detail, { bad: true })
  const make = (): void => void api.post(`/reports/${id}/make`).then(again, failed)
  const whyNot = mayChange ? undefined : `It is ${owner ?? 'somebody else'}’s report.`
  const underWay = results?.filter(isUnderWay) ?? []
  const document = shown?.document
  return (
    <Split>
      <Shelf $width={196} aria-label="In this report">
        <Stack $gap={8} style={{ padding: '10px 14px' }}>
          {document && (
            <>
              <h2>In this report</h2>
              <List>
                {document.sections.map((section, i) => (
                  <li key={section.title}>
                    <a href={`#${anchorOf(i)}`}>{section.title}</a>
                  </li>
                ))}
              </List>
            </>
          )}
          <h2>Results</h2>
          {results?.length === 0 && <Small>None yet.</Small>}
          <List>
            {results?.map((result) => (
              <li key={result.id} aria-current={result.id === shownId ? 'true' : undefined}>
                <Link href={`/reports/results/${result.id}`}>
                  {result.id === shownId ? <b>{result.period || result.state}</b> : result.period || result.state}
                </Link>
                <br />
                <Small>
                  <Ago at={result.askedAt} /> {result.state !== 'made' && result.period && result.state}
                </Small>
              </li>
            ))}
          </List>
        </Stack>
      </Shelf>
      <Page>
        <Row $wrap>
          <Crumb href="/reports">Reports</Crumb>
          <h1>{title}</h1>
          <Spring />
          {shown?.hasPdf && <Download href={`/api/v1/report-results/${shown.id}/report.pdf`}>PDF</Download>}
          {document && <Button onPress={() => window.print()}>Print</Button>}
          <Button kind="strong" onPress={make}>
            Make it now
          </Button>
          <Button onPress={() => setChanging(true)} whyNot={whyNot}>
            Change
          </Button>
          <Button onPress={() => setRemoving(true)} whyNot={whyNot}>
            Remove
          </Button>
        </Row>
        <Small>
          {document
            ? `${document.period.words}, ${document.period.zone} · ${document.about === undefined ? '' : `${document.about} · `}made with the rights of ${document.rightsOf}`
            : `${REPORT_KINDS[kind].title}, ${periodWords(report.data.period)}`}{' '}
          · read by {readersWords(report.data)}
        </Small>
        {underWay.map((result) => (
          <Making
            key={result.id}
            result={result}
            onStop={() => api.post(`/report-results/${result.id}/stop`).then(again, failed)}
          />
        ))}
        <Trouble error={shownError} />
        {shown && <Ending result={shown} />}
        {document && shownId !== undefined ? (
          <DocumentView document={document} resultId={shownId} />
        ) : (
          results &&
          underWay.length === 0 &&
          shownId === undefined && (
            <Panel>
              <Empty
                title="It has not been made yet"
                action={
                  <Button kind="strong" onPress={make}>
                    Make it now
                  </Button>
                }
              >
                {REPORT_KINDS[kind].says} It is kept for {report.data.keepDays} days
                {report.data.mail.length > 0 ? `, and mailed to ${report.data.mail.join(', ')}` : ''}.
              </Empty>
            </Panel>
          )
        )}
      </Page>
      {changing && (
        <ReportDialog report={report.data} onClose={() => setChanging(false)} onDone={() => setChanging(false)} />
      )}
      {removing && (
        <Dialog title={`Remove ${title}?`} isOpen onClose={() => setRemoving(false)} width={440}>
          <form
            onSubmit={(event) => {
              event.preventDefault()
              api.delete(`/reports/${id}`).then(() => {
                again()
                router.push('/reports')
              }, failed)
            }}
          >
            <Stack $gap={12}>
              <span>
                It goes with {results?.length === 1 ? 'its one result' : `all of its ${results?.length ?? 0} results`}.
                This cannot be undone.
              </span>
              <DialogButtons onClose={() => setRemoving(false)}>Remove</DialogButtons>
            </Stack>
          </form>
        </Dialog>
      )}
    </Split>
  )
}

/** How far one is, and how it is stopped. */
function Making({ result, onStop }: { result: ResultRow; onStop: () => void }): ReactNode {
  return (
    <Panel style={{ padding: '8px 14px' }}>
      <Row>
        <div role="status" style={{ flex: 1 }}>
          {result.state === 'waiting' ? 'Waits for its turn.' : `It ${result.step}.`}{' '}
          <Small>asked for by {result.askedBy}</Small>
          <progress
            aria-label="How far it is"
            style={{ width: '100%' }}
            {...(result.state === 'waiting' ? {} : { value: result.share })}
          />
        </div>
        <Button onPress={onStop}>Stop</Button>
      </Row>
    </Panel>
  )
}

/** Why there is nothing, and to whom it went. */
function Ending({ result }: { result: ResultFull }): ReactNode {
  const sent = result.mailed.filter(({ at }) => at !== null)
  const open = result.mailed.filter(({ at }) => at === null)
  if (result.state === 'failed' || result.state === 'stopped')
    return (
      <Panel style={{ padding: '10px 14px' }}>
        <b>{result.state === 'failed' ? 'It could not be made.' : 'It was stopped.'}</b> {result.reason}
      </Panel>
    )
  if (result.mailed.length === 0 || result.endedAt === null) return null
  return (
    <Small>
      Made <Time at={result.endedAt} />
      {sent.length > 0 && `, mailed to ${sent.map(({ to }) => to).join(', ')}`}
      {open.map(({ to, fault }) => `; to ${to}: ${fault ?? 'on its way'}`).join('')}
    </Small>
  )
}
