'use client'
import dynamic from 'next/dynamic'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import { useState, type ReactNode } from 'react'
import { SYSTEM_STATES } from '@/core/fleet/system-state'
import type { SystemJob, SystemPage } from '@/service/work/system-pages'
import { api, type ApiProblem } from '@/ui/api'
import { count, duration } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { useMay } from '@/ui/hooks/me'
import { Button, ButtonLink } from '@/ui/parts/button'
import { Crumb } from '@/ui/parts/crumb'
import { Confirm } from '@/ui/parts/dialog'
import { Empty, FactItem, Facts, Mono, Mute, Page, Panel, Row, Small, Spring, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { StateChip, StateMark, StateWord, type Mark } from '@/ui/parts/state-mark'
import { Table } from '@/ui/parts/table'
import { Ago, Time, Until } from '@/ui/parts/time'
import { SYSTEM_MARKS } from '../../system-words'

const SystemDialog = dynamic(() => import('../../system-dialog').then((module) => module.SystemDialog), { ssr: false })
const CheckDialog = dynamic(() => import('./check-dialog').then((module) => module.CheckDialog), { ssr: false })

/** One system: how it stands and why, what runs on what, and the jobs done on it. */
export function SystemScreen({ id }: { id: number }): ReactNode {
  const { data: system, error } = useQuery({
    queryKey: ['systems', id],
    queryFn: () => api.get<SystemPage>(`/systems/${id}`),
  })
  if (error)
    return (
      <Page>
        <Trouble error={error} />
      </Page>
    )
  if (!system) return <Page aria-busy="true" />
  const { host, port } = system
  return (
    <Page>
      <Head system={system} />
      {system.why.length > 0 && <p>{system.why.join(' ')}</p>}
      <Facts>
        <FactItem name="kind">{system.kind}</FactItem>
        <FactItem name="address">
          {host === null ? (
            <Mute>each job says it</Mute>
          ) : (
            <Mono>
              {system.database !== null && `${system.database} on `}
              {port === null ? host : `${host}:${port}`}
            </Mono>
          )}
          {system.tls && ' by TLS'}
        </FactItem>
        <FactItem name="signed in to as">{system.account ?? <Mute>each job says it</Mute>}</FactItem>
        <FactItem name="reached from">{system.pool ?? <Mute>each job says it</Mute>}</FactItem>
        {system.hostKey !== null && (
          <FactItem name="host key">
            <Mono>{system.hostKey}</Mono>
          </FactItem>
        )}
        <FactItem name="saved">
          <Time at={String(system.savedAt)} /> by {system.savedBy}
        </FactItem>
        {system.notes && <FactItem name="notes">{system.notes}</FactItem>}
      </Facts>
      <Row $top $gap={12} $wrap>
        <Panel style={{ flex: '1 1 300px', minWidth: 0 }}>
          <h2 style={{ padding: '8px 12px 4px' }}>What runs on what</h2>
          <ul aria-label="What runs on what" style={{ listStyle: 'none', margin: 0, padding: '0 12px 10px' }}>
            {system.tree.map((branch) => (
              <li
                key={branch.id}
                style={{
                  padding: '3px 0',
                  paddingLeft: branch.depth * 20,
                  display: 'flex',
                  gap: 7,
                  alignItems: 'center',
                }}
                title={branch.why.join(' ')}
              >
                {branch.depth > 0 && <Mute aria-hidden="true">└</Mute>}
                <StateMark mark={SYSTEM_MARKS[branch.state]} />
                {branch.id === id ? (
                  <b aria-current="true">{branch.title}</b>
                ) : (
                  <Link href={`/fleet/systems/${branch.id}`}>{branch.title}</Link>
                )}
                <Small>{branch.kind}</Small>
                <span className="visually-hidden">{SYSTEM_STATES[branch.state]}</span>
              </li>
            ))}
          </ul>
        </Panel>
        <Panel style={{ flex: '1 1 300px', minWidth: 0 }}>
          <h2 style={{ padding: '8px 12px 4px' }}>Open matters</h2>
          {system.matters.length === 0 ? (
            <Mute style={{ padding: '0 12px 12px', display: 'block' }}>None.</Mute>
          ) : (
            <Table
              label="Open matters"
              rows={system.matters}
              columns={[
                {
                  id: 'title',
                  title: 'What',
                  cell: (matter) =>
                    matter.runId === null ? matter.title : <Link href={`/runs/${matter.runId}`}>{matter.title}</Link>,
                },
                {
                  id: 'evidence',
                  title: 'Evidence',
                  cell: (matter) => <span title={matter.evidence}>{matter.evidence}</span>,
                },
                { id: 'taken', title: 'Taken by', cell: (matter) => matter.takenBy ?? '' },
                { id: 'at', title: 'Since', align: 'right', cell: (matter) => <Ago at={String(matter.openedAt)} /> },
              ]}
            />
          )}
        </Panel>
      </Row>
      <Jobs jobs={system.jobs} />
    </Page>
  )
}

function Head({ system }: { system: SystemPage }): ReactNode {
  const { why } = useMay('administer')
  const design = useMay('design')
  const client = useQueryClient()
  const router = useRouter()
  const say = useSay()
  const [asked, setAsked] = useState<'change' | 'check' | 'remove' | null>(null)
  const checks = system.jobs.filter(({ kind }) => kind === 'reach')
  const look = async (): Promise<void> => {
    try {
      for (const { id } of checks) await api.post('/runs', { jobId: id })
      void client.invalidateQueries({ queryKey: ['systems'] })
      say(`Looking whether ${system.title} answers.`)
    } catch (error) {
      say((error as ApiProblem).detail, { bad: true })
    }
  }
  return (
    <Row $wrap>
      <Crumb href="/fleet?tab=systems">Systems</Crumb>
      <h1>{system.title}</h1>
      <StateChip mark={SYSTEM_MARKS[system.state]}>{SYSTEM_STATES[system.state]}</StateChip>
      <Spring />
      {checks.length > 0 ? (
        <Button onPress={() => void look()}>Does it answer?</Button>
      ) : (
        <Button onPress={() => setAsked('check')} whyNot={design.why}>
          Look whether it answers
        </Button>
      )}
      <ButtonLink href={`/work/jobs/new?system=${encodeURIComponent(system.slug)}`}>Write a job for it</ButtonLink>
      <Button onPress={() => setAsked('change')} whyNot={why}>
        Change
      </Button>
      <Button kind="danger" onPress={() => setAsked('remove')} whyNot={why}>
        Remove
      </Button>
      {asked === 'change' && <SystemDialog system={system} jobs={system.jobs.length} onClose={() => setAsked(null)} />}
      {asked === 'check' && <CheckDialog system={system} onClose={() => setAsked(null)} />}
      <Confirm
        title={`Remove ${system.title}?`}
        isOpen={asked === 'remove'}
        onClose={() => setAsked(null)}
        word="Remove it"
        onConfirm={() => {
          api.delete(`/systems/${system.id}`).then(
            () => {
              void client.invalidateQueries({ queryKey: ['systems'] })
              router.push('/fleet?tab=systems')
            },
            (error: ApiProblem) => say(error.detail, { bad: true }),
          )
        }}
      >
        It goes only while no job is done on it and nothing runs on it.
      </Confirm>
    </Row>
  )
}

function Jobs({ jobs }: { jobs: readonly SystemJob[] }): ReactNode {
  const router = useRouter()
  return (
    <Panel>
      <Row style={{ padding: '8px 12px 2px' }}>
        <h2>Done on it</h2>
        <Small>{count(jobs.length, 'job')}</Small>
      </Row>
      {jobs.length === 0 ? (
        <Empty title="No job is done on it yet">
          Choose it in a job as what that is done on, or write a job for it: address, account and pool are there
          already.
        </Empty>
      ) : (
        <Table
          label="Jobs done on it"
          rows={jobs}
          onOpen={(job) => router.push(`/work/jobs/${job.id}`)}
          isDim={(job) => !job.active}
          columns={[
            {
              id: 'title',
              title: 'Job',
              cell: (job) => (
                <Link href={`/work/jobs/${job.id}`}>
                  <b>{job.title}</b>
                </Link>
              ),
            },
            { id: 'kind', title: 'Kind', cell: (job) => <Small>{job.kind}</Small> },
            { id: 'area', title: 'Area', cell: (job) => <Small>{job.area}</Small> },
            {
              id: 'last',
              title: 'Last run',
              cell: (job) =>
                job.last && (
                  <Link href={`/runs/${job.last.id}`}>
                    <StateWord mark={job.last.state as Mark} word={`#${job.last.id} ${job.last.state}`} />
                  </Link>
                ),
            },
            {
              id: 'took',
              title: 'Took',
              align: 'right',
              cell: (job) => job.last && job.last.durationMs !== null && duration(job.last.durationMs),
            },
            { id: 'says', title: 'It said', cell: (job) => job.last && <SaidLast last={job.last} /> },
            { id: 'ended', title: 'When', align: 'right', cell: (job) => job.last && <Ago at={job.last.at} /> },
            {
              id: 'next',
              title: 'Next',
              align: 'right',
              cell: (job) => job.nextAt && <Until at={String(job.nextAt)} />,
            },
          ]}
        />
      )}
    </Panel>
  )
}

const SHOWN = 3

/** What it handed on, or else the line of its output that tells most. */
function SaidLast({ last: { outputs, says } }: { last: NonNullable<SystemJob['last']> }): ReactNode {
  const values = Object.entries(outputs)
  const text =
    values.length > 0
      ? values
          .slice(0, SHOWN)
          .map(([name, value]) => `${name} ${value}`)
          .join(' · ')
      : says
  return <span title={text}>{text}</span>
}
