'use client'
import { useDeferredValue, useMemo, type ReactNode } from 'react'
import { parseTimeOfDay } from '@/core/calendar/days'
import { rangeOf } from '@/core/tuning/clock'
import { clock } from '@/ui/format'
import { useAddress } from '@/ui/hooks/address'
import { useMe } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { Panel, Row, Small, Spring, Trouble } from '@/ui/parts/layout'
import { Figures } from './figures'
import { Heat, poolTitle } from './heat'
import { Legend, LoadChart } from './load-chart'
import { changesFor, forbidden, movesOf, movesText, shifted } from './moves'
import { RunsThen } from './runs-then'
import { seriesOf } from './series'
import { StartsStrip, type StartMark } from './starts-strip'
import { strainOf, waitsOf } from './sums'
import type { TabProps } from './tab-props'
import { useEdited } from './use-edited'
import { hoursOf } from './words'

/** Slots in demand and in the forecast by pool; starts are moved right there, and every figure follows. */
export function LoadTab({ stretch, night }: TabProps): ReactNode {
  const { values, set, now } = useAddress()
  const { zone } = useMe()
  const moves = useMemo(() => movesOf(values.moves), [values.moves])
  const changes = useMemo(() => changesFor(moves), [moves])
  const { view, error } = useEdited(stretch, useDeferredValue(changes))
  const { demand, forecast } = view ?? night
  const pool = demand.pools.some(({ id }) => id === values.pool) ? (values.pool as string) : busiest(night)
  const points = useMemo(() => seriesOf(demand, forecast.load, pool), [demand, forecast, pool])
  const before = useMemo(() => seriesOf(night.demand, night.forecast.load, pool), [night, pool])
  const { slots = 1 } = demand.pools.find(({ id }) => id === pool) ?? {}
  const marks = useMemo(() => marksOf(night, pool, moves, zone), [night, pool, moves, zone])
  const move = (trigger: string, timeFrom: (from: string, present: string) => string): void => {
    const next = new Map(movesOf(now().moves))
    const from = night.names.triggers[trigger]?.at
    if (!from) return
    const to = timeFrom(from, next.get(trigger) ?? from)
    if (to === from) next.delete(trigger)
    else next.set(trigger, to)
    set({ moves: movesText(next) }, 'replace')
  }
  const onMove = (trigger: string, minutes: number): void => move(trigger, (from) => shifted(from, minutes))
  // Keys are quicker than what they change is drawn: each goes on from where the one before it went.
  const onStep = (trigger: string, by: number): void => move(trigger, (_, present) => shifted(present, by))
  const late = (of: typeof forecast): number => of.deadlines.filter((deadline) => deadline.late).length
  const isEdited = view !== null
  const nowIs = (text: string): { beside?: string } => (isEdited ? { beside: `now ${text}` } : {})
  const minute = Number(values.minute)
  return (
    <>
      <Figures
        figures={[
          {
            name: 'deadlines missed by usual lengths',
            value: String(late(forecast)),
            isBad: late(forecast) > 0,
            ...nowIs(String(late(night.forecast))),
          },
          {
            name: 'slots in demand above what there is',
            value: String(strainOf(demand)),
            isBad: strainOf(demand) > 0,
            ...nowIs(String(strainOf(night.demand))),
          },
          { name: 'time spent waiting', value: hoursOf(waitsOf(forecast)), ...nowIs(hoursOf(waitsOf(night.forecast))) },
          {
            name: `peak of ${poolTitle(pool)}`,
            value: String(demand.pools.find(({ id }) => id === pool)?.peak ?? 0),
            beside: isEdited
              ? `of ${slots}, now ${night.demand.pools.find(({ id }) => id === pool)?.peak ?? 0}`
              : `of ${slots} slots`,
          },
        ]}
      />
      <Trouble error={error} />
      <Heat demand={demand} chosen={pool} onChoose={(id) => set({ pool: id, minute: null }, 'replace')} />
      <Panel style={{ padding: '8px 0 6px', flex: 'none' }}>
        <Row $wrap style={{ padding: '0 12px' }}>
          <h2>{poolTitle(pool)}</h2>
          <Legend isEdited={isEdited} />
          <Spring />
          {moves.size > 0 && (
            <>
              <Button kind="quiet" onPress={() => set({ moves: null })}>
                All starts as they were
              </Button>
              <Button onPress={() => set({ tab: 'what-if' })}>Look at the deadlines with these moves</Button>
            </>
          )}
        </Row>
        <LoadChart
          points={points}
          before={isEdited ? before : undefined}
          capacity={slots}
          onMinute={(at) => set({ minute: String(Math.floor(at / 60_000)) }, 'replace')}
        />
        {marks.length > 0 ? (
          <StartsStrip
            marks={marks}
            first={points[0]?.at ?? 0}
            last={points.at(-1)?.at ?? 1}
            onMove={onMove}
            onStep={onStep}
          />
        ) : (
          <Small style={{ padding: '0 12px' }}>
            No trigger with one time of day starts anything in this pool in this stretch.
          </Small>
        )}
      </Panel>
      {Number.isInteger(minute) && minute > 0 && (
        <RunsThen
          title={`Runs at ${clock(minute * 60_000, zone)} in ${poolTitle(pool)}`}
          runs={forecast.runs}
          at={minute * 60_000}
          pool={pool}
          night={night}
          onClose={() => set({ minute: null }, 'replace')}
        />
      )}
    </>
  )
}

/** The fullest pool in which something can be moved; else the fullest. */
function busiest({ demand, forecast, names, poolOf }: TabProps['night']): string {
  const movable = new Set(
    forecast.runs.flatMap(({ trigger, target }) => (names.triggers[trigger]?.window ? [poolOf[target] ?? ''] : [])),
  )
  const fullness = ({ id, peak, slots }: TabProps['night']['demand']['pools'][number]): number =>
    peak / slots + (movable.has(id) ? 1000 : 0)
  return [...demand.pools].sort((a, b) => fullness(b) - fullness(a))[0]?.id ?? ''
}

/** The triggers with one time of day that use the pool, where they start in the stretch, the first first. */
function marksOf(
  { forecast, names, poolOf }: TabProps['night'],
  pool: string,
  moves: ReadonlyMap<string, string>,
  zone: string,
): StartMark[] {
  const first = new Map<string, number>()
  for (const { trigger, occurrence, target } of forecast.runs) {
    if ((poolOf[target] ?? '') !== pool) continue
    const at = Date.parse(occurrence)
    if (at >= forecast.from * 1000) first.set(trigger, Math.min(at, first.get(trigger) ?? Infinity))
  }
  return [...first]
    .flatMap(([trigger, at]): StartMark[] => {
      const known = names.triggers[trigger]
      if (!known?.at) return []
      const to = moves.get(trigger) ?? known.at
      const [was, is] = [parseTimeOfDay(known.at) ?? 0, parseTimeOfDay(to) ?? 0]
      const range = known.window && rangeOf(known.window, was)
      return [
        {
          trigger,
          id: known.id,
          title: known.title,
          from: known.at,
          to,
          at,
          minutes: Math.round((is - was) / 60),
          window: range && [at + (range[0] - was) * 1000, at + (range[1] - was) * 1000],
          forbids: forbidden(known.at, to, known.window),
        },
      ]
    })
    .sort((a, b) => a.at - b.at || (clock(a.at, zone) + a.title < clock(b.at, zone) + b.title ? -1 : 1))
}
