'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import type { FoundRun, SinceBackUp, Taken } from '@/service/runs/taking'
import { api, type ApiProblem } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { useMay } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { Confirm } from '@/ui/parts/dialog'
import { Empty, Page, Panel, Row, Small, Spring, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { Table } from '@/ui/parts/table'
import { Time } from '@/ui/parts/time'
import { TimingNav } from '../timing-nav'

/** So many are decided about in one request. */
const AT_ONCE = 500
const counted = (n: number): string => (n === 1 ? 'One run' : `${n} runs`)
const LOOSE = ['since-back-up', 'runs', 'matters', 'day']

/** What agents carried out after the back-up that the database was brought back from, and what of it goes into the record. */
export function SinceBackUpScreen(): ReactNode {
  const client = useQueryClient()
  const say = useSay()
  const { why } = useMay('operate')
  const [ending, setEnding] = useState<FoundRun | null>(null)
  const query = useQuery({ queryKey: ['since-back-up'], queryFn: () => api.get<SinceBackUp>('/since-back-up') })
  const { restoredAt = null, runs = [], unnamed = 0, held = 0 } = query.data ?? {}
  const fits = runs.filter((run) => run.why === null)
  const after = async (done: string): Promise<void> => {
    say(done)
    await Promise.all(LOOSE.map((key) => client.invalidateQueries({ queryKey: [key] })))
  }
  const failed = (error: ApiProblem): void => say(error.errors[0]?.message ?? error.detail, { bad: true })
  const decide = (act: 'take' | 'leave', chosen: readonly FoundRun[]): void => {
    const attempts = chosen.slice(0, AT_ONCE).map(({ attempt, token }) => ({ attempt, token }))
    api.post<Taken>('/since-back-up', { act, attempts }).then(({ done, passedOver }) => {
      const [bad] = passedOver
      const left = bad ? ` ${counted(passedOver.length)} passed over: ${bad.why}` : ''
      return after(`${counted(done.length)} ${act === 'take' ? 'taken into the record' : 'left out'}.${left}`)
    }, failed)
  }
  const release = (): void => {
    api.post<{ released: number }>('/since-back-up/release').then(({ released }) => {
      return after(`${released} of what had not begun may begin.`)
    }, failed)
  }
  return (
    <Page style={{ overflow: 'hidden' }}>
      <Row>
        <h1>Timing</h1>
        <TimingNav />
        <Spring />
        {fits.length > 1 && (
          <Button kind="strong" whyNot={why} onPress={() => decide('take', fits)}>
            {fits.length > AT_ONCE ? `Take ${AT_ONCE} in` : `Take all ${fits.length} in`}
          </Button>
        )}
      </Row>
      <Trouble error={query.error} />
      {restoredAt !== null && (
        <Panel style={{ flex: 'none', padding: '10px 14px' }}>
          <p>
            The database was brought back from a back-up; that was found <Time at={restoredAt} />. What agents did since
            stands here once they have called. What is taken into the record is not made up for again; what must be
            repeated is started by hand. Then switch starts on again under{' '}
            <Link href="/settings?tab=timing">Settings</Link>.
          </p>
          {held > 0 && (
            <Row>
              <span>
                {held === 1
                  ? 'One run or step had not begun at the back-up, and may have run since: it is held.'
                  : `${held} runs and steps had not begun at the back-up, and may have run since: they are held.`}
              </span>
              <Spring />
              <Button whyNot={why} onPress={release}>
                Release them
              </Button>
            </Row>
          )}
          {unnamed > 0 && (
            <Small>
              {counted(unnamed)} more could not be named yet by the agents: they are away, or of an earlier version.
            </Small>
          )}
        </Panel>
      )}
      <Confirm
        title={ending ? `Leave out ${ending.title}` : ''}
        isOpen={ending !== null}
        onClose={() => setEnding(null)}
        word="End it"
        onConfirm={() => ending && decide('leave', [ending])}
      >
        {ending?.agent} may still be at work on it: that is ended, and nothing of it goes into the record.
      </Confirm>
      <Panel style={{ minHeight: 0, display: 'flex', flexDirection: 'column' }}>
        {query.isSuccess && runs.length === 0 ? (
          <Empty title={restoredAt === null ? 'No back-up was brought back' : 'Nothing is left to decide'}>
            {restoredAt === null
              ? 'After a restore, runs that agents began since the back-up stand here.'
              : 'What was taken into the record stands among the runs, under its own number.'}
          </Empty>
        ) : (
          <Table
            label="Since the back-up"
            rows={runs.map((run) => ({ ...run, id: run.attempt }))}
            columns={[
              {
                id: 'run',
                title: 'Run',
                cell: ({ run, title }) => (
                  <>
                    <b>{title}</b> <Small>#{run}</Small>
                  </>
                ),
              },
              { id: 'machine', title: 'Machine', cell: ({ agent }) => agent },
              { id: 'at', title: 'Handed out', cell: ({ handedAt }) => <Time at={handedAt} /> },
              {
                id: 'by',
                title: 'Started by',
                cell: ({ by, flowRun, step }) => (flowRun === null ? by : `step ${step} of flow run #${flowRun}`),
              },
              {
                id: 'why',
                title: '',
                maxWidth: 420,
                cell: ({ why: reason, goesOn }) => (
                  <Small title={reason ?? ''}>{reason ?? (goesOn ? 'It may still be going on.' : '')}</Small>
                ),
              },
              {
                id: 'acts',
                title: '',
                cell: (run) => (
                  <Row>
                    <Button kind="quiet" whyNot={why ?? run.why ?? undefined} onPress={() => decide('take', [run])}>
                      Take in
                    </Button>
                    <Button
                      kind="quiet"
                      whyNot={why}
                      onPress={() => (run.goesOn ? setEnding(run) : decide('leave', [run]))}
                    >
                      Leave out
                    </Button>
                  </Row>
                ),
              },
            ]}
          />
        )}
      </Panel>
    </Page>
  )
}
