'use client'
import { useQuery } from '@tanstack/react-query'
import { useMemo, type ReactNode } from 'react'
import { drawnGroups } from '@/core/flow/fold'
import { drawnOf, type Span } from '@/core/flow/times'
import type { FlowRunView, FlowStepView } from '@/service/flows/flow-run-view'
import type { FlowRunFull } from '@/service/runs/run-page'
import { api } from '@/ui/api'
import { clockSeconds, duration } from '@/ui/format'
import { FlowPicture } from '@/app/shared/flow/flow-picture'
import { useAddress } from '@/ui/hooks/address'
import { useMe } from '@/ui/hooks/me'
import { useNow } from '@/ui/hooks/now'
import { FactItem, Facts, Mute, Page, Panel, Row, Small } from '@/ui/parts/layout'
import { StateWord } from '@/ui/parts/state-mark'
import { Tabs } from '@/ui/parts/tabs'
import { Time, Took } from '@/ui/parts/time'
import { useRunNotices } from '@/app/shared/runs/sent-notices'
import { CommonFacts } from './common-facts'
import { countsOf, firstToLookAt, lookOfStep, runTimes } from './flow-model'
import { FlowHead } from './flow-head'
import { FlowOutline } from './flow-outline'
import { FlowStory } from './flow-story'
import { SinceGood } from './since-good'
import { StepPanel } from './step-panel'
import { InputList } from './what-ran'

/** A run of a flow: its picture, live, and the chosen step below it. */
export function FlowRunScreen({ run }: { run: FlowRunFull }): ReactNode {
  const { data } = useQuery({
    queryKey: ['run', run.id, 'steps'],
    queryFn: () => api.get<FlowRunView>(`/runs/${run.id}/steps`),
    refetchInterval: run.endedAt ? false : 5000,
  })
  if (!data) return <Page aria-busy="true" />
  return <Loaded run={run} view={data} />
}

function Loaded({ run, view: { steps, day } }: { run: FlowRunFull; view: FlowRunView }): ReactNode {
  const { values, now: addressNow, set } = useAddress()
  const { zone } = useMe()
  const nowMs = useNow(run.endedAt ? 60_000 : 1000)
  const shape = JSON.stringify(drawnOf(steps))
  const drawn = useMemo(() => JSON.parse(shape) as ReturnType<typeof drawnOf>, [shape])
  const groups = useMemo(
    () => drawnGroups(run.definition.groups, (id) => steps.find(({ path }) => path === id)?.index),
    // Names and places of steps never change in a run.
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [run.definition.groups, shape],
  )
  const beginsAt = new Date(run.startedAt ?? run.startAfter ?? run.createdAt).getTime()
  const endsAt = run.endedAt ? new Date(run.endedAt).getTime() : Math.max(nowMs, beginsAt)
  const { times, usual, decides, endsAt: foreseen } = runTimes(steps, drawn, beginsAt, endsAt)
  // `-` stands in the address for no step, where one would else be chosen.
  const stepNamed = (path: string | undefined): FlowStepView | null =>
    path === undefined ? firstToLookAt(steps) : (steps.find((step) => step.path === path) ?? null)
  const chosen = stepNamed(values.step)
  const counts = countsOf(steps)
  const notices = useRunNotices(run.id)
  const choose = (index: number | null): void =>
    set({ step: index === null ? '-' : (steps[index]?.path ?? null), try: null, tab: null }, 'replace')
  const chain = steps.filter(({ index, flow }) => decides.has(index) && flow === null)
  return (
    <Page>
      <FlowHead run={run} steps={steps} chosen={chosen} />
      <Facts>
        <CommonFacts run={run} />
        {run.startedAt && (
          <FactItem name={run.endedAt ? 'took' : 'running for'}>
            <Took from={run.startedAt} to={run.endedAt} />
          </FactItem>
        )}
        <FactItem name="usual length">{run.usualMs === null ? '—' : duration(run.usualMs)}</FactItem>
        {!run.endedAt && run.startedAt && times.length > 0 && nowMs > 0 && (
          <FactItem name="ends about">
            <Time at={new Date(foreseen).toISOString()} withRelative />
          </FactItem>
        )}
        <FactItem name="steps">
          {counts.over} of {counts.total} over
        </FactItem>
        {chain.length > 0 && (
          <FactItem name="decided by">
            {chain
              .sort((a, b) => (times[a.index] as Span).end - (times[b.index] as Span).end)
              .slice(-4)
              .map(({ title }) => title)
              .join(' → ')}
          </FactItem>
        )}
        {day && <FactItem name="day">{day}</FactItem>}
      </Facts>
      {(run.state === 'failed' || run.deadlineState === 'late') && <SinceGood runId={run.id} isFlow />}
      {steps.length === 0 ? (
        <Panel style={{ padding: 14 }}>
          <Mute>This flow has no steps.</Mute>
        </Panel>
      ) : (
        <FlowPicture
          label={`${run.title} #${run.id} on a time scale`}
          steps={drawn}
          times={times}
          usual={usual}
          groups={groups}
          decides={decides}
          lookOf={(index) => lookOfStep(steps[index] as FlowStepView, times[index], endsAt)}
          chosen={chosen?.index ?? null}
          chosenNow={() => stepNamed(addressNow().step)?.index ?? null}
          onChoose={choose}
          begins={{ at: beginsAt, text: clockSeconds(beginsAt, zone) }}
          nowAt={run.endedAt || !run.startedAt || nowMs === 0 ? null : nowMs}
          maxHeight="max(200px, 50vh)"
        />
      )}
      <Panel style={{ flex: 1, minHeight: 280, display: 'flex', flexDirection: 'column' }}>
        {chosen ? (
          <StepPanel run={run} step={chosen} steps={steps} onClose={() => choose(null)} />
        ) : (
          <>
            <Row style={{ padding: '8px 12px 2px' }}>
              <b>The whole flow</b>
              <StateWord mark={run.state} />
              <Small>Choose a step in the picture, or here, to see its output.</Small>
            </Row>
            <Tabs
              label="About this flow run"
              selected={values.tab ?? 'steps'}
              onSelect={(tab) => set({ tab: tab === 'steps' ? null : tab }, 'replace')}
              tabs={[
                {
                  id: 'steps',
                  title: `Steps ${counts.total}`,
                  content: <FlowOutline steps={steps} onChoose={choose} />,
                },
                { id: 'story', title: 'Story', content: <FlowStory run={run} /> },
                {
                  id: 'inputs',
                  title: `Inputs ${run.definition.inputs.length || ''}`,
                  content: <InputList run={run} />,
                },
                { id: 'notices', title: `Notices ${notices.count || ''}`, content: notices.content },
              ]}
            />
          </>
        )}
      </Panel>
    </Page>
  )
}
