'use client'
import { useQuery } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import { scored, type Scored, type Scores, type ToldRow } from '@/core/stats/scores'
import type { Accuracy } from '@/service/forecast/accuracy'
import type { Backtest } from '@/service/forecast/backtest'
import { api } from '@/ui/api'
import { count, duration } from '@/ui/format'
import { Button } from '@/ui/parts/button'
import { Empty, Panel, Row, Small, Spring, Trouble } from '@/ui/parts/layout'
import { Table } from '@/ui/parts/table'
import { margin, percent } from './words'

const DAYS = 28
const LEADS = {
  '8h': '8 hours before',
  '2h': '2 hours before',
  '10m': '10 minutes before',
  begun: 'once begun',
} as const

/** Forecasts as they were told, beside what came; and as they would have been told in the past. */
export function RightTab(): ReactNode {
  const { data, error } = useQuery({
    queryKey: ['tuning', 'accuracy'],
    queryFn: () => api.get<Accuracy>(`/tuning/accuracy?days=${DAYS}`),
  })
  const [looked, setLooked] = useState<{ scores: Scored; forecasts: number; isDone: boolean } | null>(null)
  const [isLooking, setLooking] = useState(false)
  const [trouble, setTrouble] = useState<unknown>(null)
  const lookBack = async (): Promise<void> => {
    setLooking(true)
    setTrouble(null)
    const rows: ToldRow[] = []
    let forecasts = 0
    try {
      for (let before: string | null | undefined; before !== null;) {
        const part: Backtest = await api.post<Backtest>('/tuning/backtest', {
          days: DAYS,
          ...(before ? { before } : {}),
        })
        rows.push(...part.rows)
        forecasts += part.forecasts
        before = part.next
        setLooked({ scores: scored(rows), forecasts, isDone: before === null })
      }
    } catch (problem) {
      setTrouble(problem)
    }
    setLooking(false)
  }
  const told = data ? Object.values(data.byLead).reduce((sum, each) => sum + each.count, 0) : 0
  return (
    <>
      <Trouble error={error ?? trouble} />
      <Row $wrap>
        <Small>
          Each deadline’s forecast is kept as it was 8 hours, 2 hours and 10 minutes before, and once its work had
          begun.
        </Small>
        <Spring />
        <Button onPress={() => void lookBack()} isDisabled={isLooking}>
          {isLooking ? `Looking back … ${looked?.forecasts ?? 0} forecasts` : `Look back over ${DAYS} days`}
        </Button>
      </Row>
      {looked && (
        <ScoresPanel
          title={`As it would have been told in the last ${DAYS} days`}
          says={`${count(looked.forecasts, 'forecast')}${looked.isDone ? '' : ' so far'}, each with only what was known then`}
          scores={looked.scores}
        />
      )}
      {data && told > 0 ? (
        <ScoresPanel title={`As it was told in the last ${DAYS} days`} says={count(told, 'forecast')} scores={data} />
      ) : (
        data &&
        !looked && (
          <Empty title="No deadline that was foreseen is over yet">
            In a few nights it stands here how right the forecasts were. Looking back shows it at once: as they would
            have been made then.
          </Empty>
        )
      )}
      {data && data.adherence.length > 0 && <Kept rows={data.adherence} />}
    </>
  )
}

function ScoresPanel({ title, says, scores }: { title: string; says: string; scores: Scored }): ReactNode {
  const leads = (Object.keys(LEADS) as (keyof typeof LEADS)[])
    .map((lead) => ({ id: lead, lead, ...scores.byLead[lead] }))
    .filter((each) => each.count > 0)
  const two = scores.byLead['2h']
  return (
    <Panel style={{ flex: 'none' }}>
      <Row style={{ padding: '8px 12px' }} $wrap>
        <h2>{title}</h2>
        <Small>{says}</Small>
      </Row>
      <Table
        label={title}
        rows={leads}
        columns={[
          { id: 'lead', title: 'Told', cell: ({ lead }) => <b>{LEADS[lead]}</b> },
          { id: 'count', title: 'Deadlines', align: 'right', cell: (row) => row.count },
          { id: 'in-time', title: 'In time', align: 'right', cell: (row) => percent(row.inTime / row.count) },
          { id: 'brier', title: 'Brier score', align: 'right', cell: (row) => row.brier?.toFixed(3) },
          { id: 'share', title: 'Of the share alone', align: 'right', cell: (row) => row.brierOfShare?.toFixed(3) },
          { id: 'p50', title: 'Finish off by, median', align: 'right', cell: (row) => seconds(row.errorP50) },
          { id: 'p90', title: 'nine in ten', align: 'right', cell: (row) => seconds(row.errorP90) },
          {
            id: 'relative',
            title: 'of its length',
            align: 'right',
            cell: (row) => (row.relativeP50 === null ? '' : `${(row.relativeP50 * 100).toFixed(1)} %`),
          },
        ]}
      />
      {two.bins.length > 0 && <Reliability scores={two} />}
      {scores.byTrigger.length > 0 && (
        <Table
          label={`${title}, by trigger, two hours before`}
          rows={scores.byTrigger.map((each) => ({ id: each.trigger, ...each }))}
          columns={[
            { id: 'title', title: 'Two hours before', cell: (row) => row.title },
            { id: 'count', title: 'Deadlines', align: 'right', cell: (row) => row.scores.count },
            {
              id: 'in-time',
              title: 'In time',
              align: 'right',
              cell: (row) => percent(row.scores.inTime / row.scores.count),
            },
            { id: 'brier', title: 'Brier score', align: 'right', cell: (row) => row.scores.brier?.toFixed(3) },
            { id: 'p50', title: 'Finish off by, median', align: 'right', cell: (row) => seconds(row.scores.errorP50) },
          ]}
        />
      )}
    </Panel>
  )
}

const seconds = (value: number | null): string => (value === null ? '' : duration(value * 1000))

const SIZE = 150
const PAD = 24
/** Room for half of the largest dot. */
const TOP = 12

/** Chances told against shares that were in time: on the line the forecast is right; the larger the dot, the more often it was told. */
function Reliability({ scores }: { scores: Scores }): ReactNode {
  const most = Math.max(...scores.bins.map((bin) => bin.count))
  const x = (share: number): number => PAD + share * SIZE
  const y = (share: number): number => TOP + (1 - share) * SIZE
  return (
    <Row $top style={{ padding: '4px 12px 10px' }} $gap={18}>
      <svg
        width={SIZE + PAD + 12}
        height={SIZE + PAD + 14}
        role="img"
        aria-label="Share in time against the chance told two hours before"
      >
        <rect x={PAD} y={TOP} width={SIZE} height={SIZE} fill="var(--shelf)" />
        <line x1={x(0)} y1={y(0)} x2={x(1)} y2={y(1)} stroke="var(--line-strong)" strokeDasharray="3 3" />
        {scores.bins.map((bin) => (
          <circle
            key={bin.from}
            cx={x(bin.told)}
            cy={y(bin.came)}
            r={3 + 6 * Math.sqrt(bin.count / most)}
            fill="var(--running)"
            fillOpacity={0.7}
          >
            <title>{`told ${percent(bin.told)}, in time ${percent(bin.came)}, ${count(bin.count, 'deadline')}`}</title>
          </circle>
        ))}
        <text x={PAD + SIZE / 2} y={SIZE + PAD + 8} textAnchor="middle" fontSize="11.5" fill="var(--mute)">
          chance told
        </text>
        <text
          x="12"
          y={TOP + SIZE / 2}
          textAnchor="middle"
          fontSize="11.5"
          fill="var(--mute)"
          transform={`rotate(-90 12 ${TOP + SIZE / 2})`}
        >
          in time
        </text>
      </svg>
      <ul>
        {scores.bins.map((bin) => (
          <li key={bin.from}>
            <Small>
              told {percent(bin.from)} to {percent(bin.to)}: {percent(bin.came)} of {count(bin.count, 'deadline')} in
              time
            </Small>
          </li>
        ))}
      </ul>
    </Row>
  )
}

function Kept({ rows }: { rows: Accuracy['adherence'] }): ReactNode {
  const weeks = [...new Set(rows.flatMap((row) => row.weeks.map(({ week }) => week)))].sort()
  return (
    <Panel style={{ flex: 'none' }}>
      <Row style={{ padding: '8px 12px' }}>
        <h2>Kept, week by week</h2>
        <Small>share in time, and the median margin</Small>
      </Row>
      <Table
        label="Deadlines kept by week"
        rows={rows.map((row) => ({ ...row, id: row.triggerId }))}
        columns={[
          { id: 'title', title: 'Trigger', cell: (row) => <b>{row.title}</b> },
          ...weeks.map((week) => ({
            id: week,
            title: `week of ${week}`,
            align: 'right' as const,
            cell: (row: Accuracy['adherence'][number]) => {
              const found = row.weeks.find((each) => each.week === week)
              return found ? (
                <span style={found.inTime < found.deadlines ? { color: 'var(--late)' } : {}}>
                  {percent(found.inTime / found.deadlines)} <Small>{margin(found.margin)}</Small>
                </span>
              ) : (
                ''
              )
            },
          })),
        ]}
      />
    </Panel>
  )
}
