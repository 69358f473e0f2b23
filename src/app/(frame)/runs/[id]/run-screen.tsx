'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import { useState, type ReactNode } from 'react'
import { describeReason, type Reason } from '@/core/dispatch/describe'
import { spell } from '@/core/run/judge'
import type { FlowRunFull, RunFull } from '@/service/runs/run-page'
import type { ApiProblem } from '@/ui/api'
import { api } from '@/ui/api'
import { clock, duration } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { useAddress } from '@/ui/hooks/address'
import { useNoteOpened } from '@/ui/hooks/opened'
import { MayHere, useMay, useMe } from '@/ui/hooks/me'
import { useNow } from '@/ui/hooks/now'
import { Button } from '@/ui/parts/button'
import { CompareButton } from './compare-button'
import { Look } from './look'
import { SinceGood } from './since-good'
import { Crumb } from '@/ui/parts/crumb'
import { Confirm } from '@/ui/parts/dialog'
import { FactItem, Facts, Mono, Page, Panel, Row, Small, Spring, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { StateChip } from '@/ui/parts/state-mark'
import { Time, Took } from '@/ui/parts/time'
import { StartDialog } from '@/app/shared/work/start-dialog'
import { AskFacts } from './asks'
import { CommonFacts } from './common-facts'
import { FlowRunScreen } from './flow-run-screen'
import { Picture } from './picture'
import { RunTabs } from './run-tabs'
import { waitedMs } from './waited'

export function RunScreen({ id }: { id: number }): ReactNode {
  const { data: run, error } = useQuery({
    queryKey: ['run', id],
    queryFn: () => api.get<RunFull | FlowRunFull>(`/runs/${id}`),
    refetchInterval: (q) => (q.state.data?.endedAt ? false : 5000),
  })
  if (error) {
    return (
      <Page>
        <Trouble error={error} />
      </Page>
    )
  }
  if (!run) return <Page aria-busy="true" />
  return <MayHere level={run.may}>{run.isFlow ? <FlowRunScreen run={run} /> : <Loaded run={run} />}</MayHere>
}

function Loaded({ run }: { run: RunFull }): ReactNode {
  useNoteOpened(`run #${run.id}`, run.title)
  const { values, set } = useAddress()
  const waited = waitedMs(run)
  const attemptNumber = Number(values.try) || run.tries.length
  const attempt = run.tries.find((t) => t.number === attemptNumber) ?? run.tries.at(-1)
  return (
    <Page>
      <Head run={run} />
      <WhyWaiting run={run} />
      <Facts>
        <CommonFacts run={run} />
        {run.startedAt && (
          <FactItem name={run.endedAt ? 'took' : 'running for'}>
            <Took from={run.startedAt} to={run.endedAt} />
          </FactItem>
        )}
        {waited !== null && <FactItem name="waited">{duration(waited)}</FactItem>}
        <FactItem name="usual length">{run.usualMs === null ? '—' : duration(run.usualMs)}</FactItem>
        {run.agent && (
          <FactItem name="machine">
            <Link href={`/fleet/agents/${run.agentId}`}>{run.agent}</Link>
          </FactItem>
        )}
        {run.robot && (
          <FactItem name="robot">
            <Link href={`/fleet/robots/${run.robotId}`}>{run.robot}</Link>
          </FactItem>
        )}
        <AskFacts asks={run.asks} />
        <FactItem name="area">{run.area}</FactItem>
        <FactItem name="job version">{run.jobVersion}</FactItem>
      </Facts>
      {(isBad(run) || run.deadlineState === 'late') && <SinceGood runId={run.id} />}
      {run.look && <Look runId={run.id} look={run.look} watches={run.definition.watches} />}
      <Picture run={run} chosen={attempt?.number ?? 0} onChoose={(number) => set({ try: String(number) }, 'replace')} />
      <Panel style={{ flex: 1, minHeight: 300, display: 'flex', flexDirection: 'column' }}>
        <RunTabs run={run} attempt={attempt} />
      </Panel>
    </Page>
  )
}

const isBad = ({ state }: RunFull): boolean => state === 'failed' || state === 'lost'

function Head({ run }: { run: RunFull }): ReactNode {
  const router = useRouter()
  const client = useQueryClient()
  const say = useSay()
  const { why } = useMay('operate')
  const [asking, setAsking] = useState(false)
  const [stopping, setStopping] = useState(false)
  const isOver = run.endedAt !== null
  const fail = (error: ApiProblem): void => say(error.detail, { bad: true })
  const again = (): void => {
    api
      .post<{ id: number }>(`/runs/${run.id}/again`, { requestKey: crypto.randomUUID() })
      .then((made) => router.push(`/runs/${made.id}`), fail)
  }
  const stop = (): void => {
    api.post(`/runs/${run.id}/stop`).then(() => client.invalidateQueries({ queryKey: ['run', run.id] }), fail)
  }
  return (
    <Row $wrap>
      <Crumb href="/runs">Runs</Crumb>
      <h1>{run.title}</h1>
      <Mono>#{run.id}</Mono>
      <StateChip mark={run.state}>{run.stopAskedBy && !isOver ? 'stopping' : run.state}</StateChip>
      {run.reason && (isOver || run.state === 'waiting') && <Small>{run.reason}</Small>}
      <Spring />
      {!isOver && (
        <Button kind="danger" onPress={() => setStopping(true)} whyNot={why}>
          Stop
        </Button>
      )}
      {isOver && (
        <Button
          kind={run.state === 'succeeded' ? 'plain' : 'strong'}
          onPress={again}
          whyNot={why ?? (run.jobIsGone ? 'The job has been removed.' : undefined)}
        >
          Run again
        </Button>
      )}
      {isOver && run.definition.inputs.length > 0 && (
        <Button
          onPress={() => setAsking(true)}
          whyNot={why ?? (run.jobIsGone ? 'The job has been removed.' : undefined)}
        >
          Run again with other inputs
        </Button>
      )}
      {run.startedAt && <CompareButton id={run.id} />}
      {!run.jobIsGone && <Button onPress={() => router.push(`/work/jobs/${run.jobId}`)}>The job</Button>}
      <StartDialog
        jobId={run.jobId}
        againOf={{ id: run.id, inputs: run.inputs }}
        isOpen={asking}
        onClose={() => setAsking(false)}
      />
      <Confirm
        title={`Stop #${run.id}?`}
        isOpen={stopping}
        onClose={() => setStopping(false)}
        onConfirm={stop}
        word="Stop it"
      >
        {run.state === 'running'
          ? `Sends SIGTERM to ${run.title} on ${run.agent}, and kills it with all its children after 10 s. What it has done so far is not undone.`
          : 'It has not started; it is taken off the queue.'}
      </Confirm>
    </Row>
  )
}

function WhyWaiting({ run }: { run: RunFull }): ReactNode {
  const { zone } = useMe()
  const now = useNow()
  const { data } = useQuery({
    queryKey: ['run', run.id, 'why'],
    queryFn: () => api.get<{ reason: Reason | null }>(`/runs/${run.id}/why`),
    enabled: run.state === 'ready',
    refetchInterval: 3000,
  })
  let sentence: ReactNode = null
  if (run.state === 'waiting' && run.startAfter) {
    sentence = (
      <>
        Waits for its time: <Time at={run.startAfter} withRelative />
        {run.attempts > 0 &&
          ` (try ${run.attempts + 1} of ${run.maxAttempts} after a delay of ${spell(run.definition.retryDelaySeconds)})`}
        .
      </>
    )
  } else if (run.state === 'waiting' && run.trigger?.after) {
    const { after, title } = run.trigger
    sentence = (
      <>
        Waits until <Link href={`/runs/${after}`}>#{after}</Link>, the run of {title} before it, has ended.
      </>
    )
  } else if (run.state === 'ready')
    sentence = data?.reason ? describeReason(data.reason, (ms) => clock(ms, zone)) : 'It starts in a moment.'
  const { everySeconds, times, then } = run.definition.unreachable
  const looks =
    run.unreachableSince && then !== 'wait'
      ? Math.floor((now - new Date(run.unreachableSince).getTime()) / 1000 / everySeconds)
      : null
  if (!sentence) return null
  return (
    <Panel style={{ padding: '7px 12px', borderLeft: '4px solid var(--brass)' }} role="status">
      <b>Why is it waiting?</b> {sentence}
      {looks !== null && now > 0 && (
        <>
          {' '}
          Looked {Math.min(looks, times)} of {times} times, every {spell(everySeconds)}; then{' '}
          {then === 'fail' ? 'it fails' : 'another agent of its pool may take it'}.
        </>
      )}
    </Panel>
  )
}
