import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import type { AgentRow } from '@/service/fleet/fleet'
import type { TraceRow } from '@/service/fleet/traces'
import { api, type ApiProblem } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { useMay } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { Panel, Row, Small, Spring } from '@/ui/parts/layout'
import { Select } from '@/ui/parts/select'
import { Table } from '@/ui/parts/table'
import { Time } from '@/ui/parts/time'

const MINUTES = [5, 15, 30, 60, 120].map((n) => ({ id: String(n), title: `${n} minutes` }))

/** What the agent was asked to tell of itself: for administrators. */
export function Traces({ agent }: { agent: AgentRow }): ReactNode {
  const { why } = useMay('administer')
  const client = useQueryClient()
  const say = useSay()
  const [minutes, setMinutes] = useState('15')
  const key = ['traces', agent.id]
  const { data = [] } = useQuery({
    queryKey: key,
    queryFn: () => api.get<TraceRow[]>(`/agents/${agent.id}/traces`),
    enabled: why === undefined,
    refetchInterval: (query) => (query.state.data?.some(({ goesOn }) => goesOn) ? 3000 : false),
  })
  if (why !== undefined) return null
  const act = (work: Promise<unknown>): void => {
    work.then(
      () => void client.invalidateQueries({ queryKey: key }),
      (problem: ApiProblem) => say(problem.detail, { bad: true }),
    )
  }
  const going = data.find(({ goesOn }) => goesOn)
  return (
    <Panel style={{ padding: '8px 0' }}>
      <Row style={{ padding: '0 12px' }}>
        <h2>Trace</h2>
        <Spring />
        {going ? (
          <Button onPress={() => act(api.delete(`/traces/${going.id}`))}>End it now</Button>
        ) : (
          <>
            <Select label="For" hideLabel value={minutes} onChange={setMinutes} choices={MINUTES} width="120px" />
            <Button
              onPress={() => act(api.post(`/agents/${agent.id}/traces`, { minutes: Number(minutes) }))}
              whyNot={agent.abilities.includes('trace') ? undefined : 'It is older, or its machine’s owner denies it.'}
            >
              Start
            </Button>
          </>
        )}
      </Row>
      <Row style={{ padding: '2px 12px 6px' }}>
        <Small>
          It tells what it does: messages, processes, lengths of time; nothing of what work is about. Kept for 14 days.
        </Small>
      </Row>
      {data.length > 0 && (
        <Table
          label="Traces"
          rows={data}
          columns={[
            {
              id: 'from',
              title: 'From',
              cell: (trace) => (
                <>
                  <Time at={trace.startedAt} /> <Small>{trace.askedBy}</Small>
                </>
              ),
            },
            {
              id: 'until',
              title: 'Until',
              cell: (trace) => (
                <>
                  <Time at={trace.until} />
                  {trace.goesOn && <Small> goes on</Small>}
                </>
              ),
            },
            {
              id: 'lines',
              title: 'Lines',
              align: 'right',
              cell: (trace) => (
                <span title={trace.rolled ? 'There was more than is kept: its beginning is gone.' : undefined}>
                  {trace.rolled && '… '}
                  {trace.lines.toLocaleString('en')}
                </span>
              ),
            },
            {
              id: 'file',
              title: '',
              align: 'right',
              cell: (trace) =>
                trace.lines > 0 && (
                  <a href={`/api/v1/traces/${trace.id}/file`} download aria-label={`Download the trace ${trace.id}`}>
                    Download
                  </a>
                ),
            },
          ]}
        />
      )}
    </Panel>
  )
}
