'use client'
import { useQueryClient } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import { useState, type ReactNode } from 'react'
import { someOf } from '@/core/phrase/some-of'
import type { FlowStepView } from '@/service/flows/flow-run-view'
import type { FlowRunFull } from '@/service/runs/run-page'
import { api, type ApiProblem } from '@/ui/api'
import { count } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { useNoteOpened } from '@/ui/hooks/opened'
import { useMay } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { Crumb } from '@/ui/parts/crumb'
import { Confirm } from '@/ui/parts/dialog'
import { Mono, Row, Small, Spring } from '@/ui/parts/layout'
import { StateChip } from '@/ui/parts/state-mark'
import { StartDialog } from '@/app/shared/work/start-dialog'
import { AgainDialog } from './step-actions'

/** What the flow run is, how it stands, and what may be done with the whole of it. */
export function FlowHead({
  run,
  steps,
  chosen,
}: {
  run: FlowRunFull
  steps: readonly FlowStepView[]
  chosen: FlowStepView | null
}): ReactNode {
  const router = useRouter()
  const client = useQueryClient()
  const say = useSay()
  const { why } = useMay('operate')
  useNoteOpened(`run #${run.id}`, run.title)
  const [open, setOpen] = useState<'stop' | 'start' | 'again' | null>(null)
  const isOver = run.endedAt !== null
  const failed = steps.filter(({ state, tolerated, flow }) => state === 'failed' && !tolerated && flow === null)
  const running = steps.filter(({ state, flow }) => state === 'running' && flow === null)
  const refresh = (): void => void client.invalidateQueries({ queryKey: ['run', run.id] })
  const fail = (error: ApiProblem): void => say(error.detail, { bad: true })
  const gone = run.jobIsGone ? 'The flow has been removed.' : undefined
  return (
    <Row $wrap>
      <Crumb href="/runs">Runs</Crumb>
      <h1>{run.title}</h1>
      <Mono>#{run.id}</Mono>
      <StateChip mark={run.state}>
        {run.stopAskedBy && !isOver
          ? 'stopping'
          : failed.length > 0
            ? `${isOver ? 'failed' : 'running, failed'} at ${failed[0]?.title}`
            : run.state}
      </StateChip>
      {isOver && <Small>{failed.length === 1 ? failed[0]?.runReason : run.reason}</Small>}
      <Spring />
      {!isOver && (
        <Button kind="danger" onPress={() => setOpen('stop')} whyNot={why}>
          Stop
        </Button>
      )}
      {isOver && failed.length > 0 && (
        <Button kind="strong" onPress={() => setOpen('again')} whyNot={why}>
          Run again from {failed.length === 1 ? (failed[0]?.title ?? '') : `${failed.length} failed steps`}
        </Button>
      )}
      {isOver && (
        <Button onPress={() => setOpen('start')} whyNot={why ?? gone}>
          Run all again
        </Button>
      )}
      {!run.jobIsGone && <Button onPress={() => router.push(`/work/flows/${run.jobId}`)}>The flow</Button>}
      <AgainDialog
        key={chosen?.path ?? ''}
        run={run}
        steps={failed.map(({ path }) => path)}
        all={steps}
        isOpen={open === 'again'}
        onClose={() => setOpen(null)}
        onDone={refresh}
      />
      <StartDialog
        jobId={run.jobId}
        againOf={{ id: run.id, inputs: run.inputs }}
        isOpen={open === 'start'}
        onClose={() => setOpen(null)}
      />
      <Confirm
        title={`Stop #${run.id}?`}
        isOpen={open === 'stop'}
        onClose={() => setOpen(null)}
        onConfirm={() => {
          api.post(`/runs/${run.id}/stop`).then(refresh, fail)
        }}
        word="Stop it"
      >
        {running.length > 0
          ? `Stops ${count(running.length, 'running step')} (${someOf(
              running.map(({ title, agent }) => `${title} on ${agent ?? 'its machine'}`),
            )}) and starts none of the others. What has been done so far is not undone.`
          : 'No step is running. None of the others is started.'}
      </Confirm>
    </Row>
  )
}
