'use client'
import { useQueryClient } from '@tanstack/react-query'
import { useEffect, useMemo, useRef, useState, type ReactNode } from 'react'
import type { Proposal, Tuned } from '@/core/tuning/tune'
import { api, type ApiProblem } from '@/ui/api'
import { count } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { useMay } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { Mute, Panel, Row, Shelf, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { DeadlinesTable } from './deadlines-table'
import { Figures } from './figures'
import { Kept } from './kept'
import { MoveCard } from './move-card'
import { mostChanged, PoolChart } from './pool-chart'
import type { Stretch } from './stretch'
import { atRiskOf, strainOf, waitsOf } from './sums'
import type { TabProps } from './tab-props'
import { useEdited } from './use-edited'
import { useWhatIf } from './use-what-if'
import { hoursOf } from './words'

/** Longer and longer, so that a good answer stands there at once and a better one later: seconds. */
const EFFORTS = [1, 3, 8, 20]

/** The search: the best answer so far, whether it goes on, and how to stop it. */
function useSearch(
  stretch: Stretch,
  keep: readonly string[],
): {
  answer: Proposal | null
  leastPeaks: Tuned['leastPeaks']
  seconds: number
  isLooking: boolean
  error: unknown
  stop: () => void
  again: () => void
} {
  const [found, setFound] = useState<Tuned | null>(null)
  const [seconds, setSeconds] = useState(0)
  const [isLooking, setLooking] = useState(true)
  const [error, setError] = useState<unknown>(null)
  const [round, setRound] = useState(0)
  const stopped = useRef(false)
  const kept = keep.join()
  useEffect(() => {
    const abort = new AbortController()
    stopped.current = false
    setLooking(true)
    setError(null)
    const look = async (): Promise<void> => {
      let spent = 0
      for (const effort of EFFORTS) {
        if (abort.signal.aborted || stopped.current) break
        const next = await api.post<Tuned>('/tuning/search', {
          from: stretch.from,
          hours: stretch.hours,
          seconds: effort,
          keep: kept === '' ? [] : kept.split(','),
        })
        if (abort.signal.aborted) return
        spent += effort
        setFound(next)
        setSeconds(spent)
        if (next.proposal.proven || next.proposal.withheld) break
      }
    }
    look()
      .catch((problem: unknown) => abort.signal.aborted || setError(problem))
      .finally(() => abort.signal.aborted || setLooking(false))
    return () => abort.abort()
  }, [stretch.from, stretch.hours, kept, round])
  return {
    answer: found?.proposal ?? null,
    leastPeaks: found?.leastPeaks ?? {},
    seconds,
    isLooking,
    error,
    stop: () => {
      stopped.current = true
      setLooking(false)
    },
    again: () => setRound((n) => n + 1),
  }
}

/** Start times that even the load and save deadlines, each with its reason, to be taken over one by one or together. */
export function ProposalsTab({ stretch, night }: TabProps): ReactNode {
  const [keep, setKeep] = useState<readonly string[]>([])
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set())
  const { why } = useMay('design')
  const client = useQueryClient()
  const say = useSay()
  const [trouble, setTrouble] = useState<unknown>(null)
  const { answer, leastPeaks, seconds, isLooking, error, stop, again } = useSearch(stretch, keep)
  const moves = useMemo(() => answer?.moves ?? [], [answer])
  const chosen = useMemo(() => moves.filter(({ trigger }) => !left.has(trigger)), [moves, left])
  const changes = useMemo(() => chosen.map(({ trigger, to }) => ({ at: { trigger, to: [to] } })), [chosen])
  const { view, error: editing } = useEdited(stretch, changes)
  const { data: sampled } = useWhatIf(stretch, changes)
  const { demand, forecast } = view ?? night
  const [pool, setPool] = useState<string | null>(null)
  const shown = pool ?? mostChanged(night.demand, demand)
  const withMoves = changes.length > 0 ? (sampled?.after.forecast ?? forecast) : night.forecast
  const distance = answer ? distanceOf(answer) : null
  const take = (): void => {
    if (!answer) return
    setTrouble(null)
    api
      .post<{ id: number }>('/tuning/proposals', { ...stretch, answer, chosen: chosen.map(({ trigger }) => trigger) })
      .then(
        () => {
          say(`${count(chosen.length, 'start')} moved. It can be undone below.`)
          void client.invalidateQueries({ queryKey: ['tuning'] })
          again()
        },
        (problem: ApiProblem) => setTrouble(problem),
      )
  }
  return (
    <Row $top $gap={12} style={{ alignItems: 'stretch', flex: 1, minHeight: 0 }}>
      <Stack $gap={12} style={{ flex: 1, minWidth: 0 }}>
        <Figures
          figures={[
            {
              name: 'deadlines at risk',
              value: String(atRiskOf(withMoves, night.limits.amber)),
              beside: `now ${atRiskOf(night.forecast, night.limits.amber)}`,
            },
            {
              name: 'slots above what there is',
              value: String(strainOf(demand)),
              beside: `now ${strainOf(night.demand)}`,
            },
            {
              name: 'time spent waiting',
              value: hoursOf(waitsOf(forecast)),
              beside: `now ${hoursOf(waitsOf(night.forecast))}`,
            },
            {
              name: 'from the best possible',
              value: distance === null ? '…' : distance === 0 ? 'none' : `${(distance * 100).toFixed(1)} %`,
              beside: answer?.proven ? 'proven' : 'at most',
            },
          ]}
        />
        <Trouble error={error ?? editing} />
        <PoolChart
          pool={shown}
          onPool={setPool}
          before={night}
          after={view}
          bound={answer ? leastPeaks[shown] : undefined}
        />
        <Panel style={{ flex: 'none' }}>
          <DeadlinesTable
            label="Deadlines with the moves"
            deadlines={night.forecast.deadlines}
            after={changes.length > 0 ? (sampled?.after.forecast.deadlines ?? []) : undefined}
            runs={night.forecast.runs}
            names={night.names}
            limits={night.limits}
          />
        </Panel>
        <Kept names={night.names} />
      </Stack>
      <Shelf
        $width={392}
        style={{ borderLeft: '1px solid var(--line)', borderRight: 0, padding: 12 }}
        aria-label="Proposed moves"
      >
        <Stack $gap={8}>
          <Row>
            <h2>{answer ? `${count(moves.length, 'move')} proposed` : 'Looking …'}</h2>
            <Spring />
            {isLooking ? <Button onPress={stop}>Stop</Button> : <Button onPress={again}>Search again</Button>}
          </Row>
          <Row>
            <Small>
              {isLooking
                ? `searched ${seconds} s · still looking`
                : answer?.proven
                  ? `best possible, after ${seconds} s`
                  : `searched ${seconds} s`}
            </Small>
          </Row>
          {answer?.withheld && <Small>{answer.withheld}</Small>}
          {answer && moves.length === 0 && !answer.withheld && (
            <Mute>
              {answer.proven
                ? 'Nothing is to be gained: no starts within their windows are better than those there are.'
                : 'No better starts were found.'}{' '}
              Only triggers with one time of day and a window can be moved.
            </Mute>
          )}
          {moves.map((move) => (
            <MoveCard
              key={move.trigger}
              move={move}
              names={night.names}
              isChosen={!left.has(move.trigger)}
              onChoose={(is) => {
                const next = new Set(left)
                if (is) next.delete(move.trigger)
                else next.add(move.trigger)
                setLeft(next)
              }}
              onKeep={() => setKeep([...keep, move.trigger])}
            />
          ))}
          {keep.length > 0 && (
            <Row $wrap>
              <Small>
                Not to be moved: {keep.map((trigger) => night.names.triggers[trigger]?.title ?? trigger).join(', ')}.
              </Small>
              <Button kind="quiet" onPress={() => setKeep([])}>
                All may move again
              </Button>
            </Row>
          )}
          <Trouble error={trouble} />
          {moves.length > 0 && (
            <Row $wrap>
              <Button
                kind="strong"
                onPress={take}
                whyNot={why ?? (chosen.length === 0 ? 'Choose at least one move.' : undefined)}
              >
                Take over {count(chosen.length, 'chosen move')}
              </Button>
              <Small>can be undone</Small>
            </Row>
          )}
        </Stack>
      </Shelf>
    </Row>
  )
}

/** How far the answer may be from the best there is, as a share: by what first differs from its bound. */
function distanceOf({ after, bound }: Proposal): number {
  if (after.late > bound.late || after.strain > bound.strain)
    return bound.strain > 0 ? (after.strain - bound.strain) / bound.strain : 1
  return bound.relative > 0 ? Math.max(0, (after.relative - bound.relative) / bound.relative) : 0
}
