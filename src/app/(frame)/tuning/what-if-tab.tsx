'use client'
import { useMemo, useState, type ReactNode } from 'react'
import { changesSchema, type Change } from '@/core/forecast/change'
import { useAddress } from '@/ui/hooks/address'
import { useMe } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { Mute, Panel, Row, Shelf, Small, Stack, Trouble } from '@/ui/parts/layout'
import { ChangeForm } from './change-form'
import { Compared } from './compared'
import { DeadlinesTable } from './deadlines-table'
import { Difference } from './difference'
import { Figures } from './figures'
import { changesFor, movesOf } from './moves'
import { mostChanged, PoolChart } from './pool-chart'
import { atRiskOf, fullestOf, waitsOf } from './sums'
import type { TabProps } from './tab-props'
import { TakeOverMoves } from './take-over-moves'
import { SAMPLES, useWhatIf } from './use-what-if'
import { Variants } from './variants'
import { changeWords, hoursOf } from './words'

/** So many variants stand beside what is shown. */
const MOST_COMPARED = 2

/** The changes that the address carries: moved starts of the load, and what was added here. */
function useChanges(): {
  changes: readonly Change[]
  write: (next: readonly Change[]) => void
  /** Numbers of the variants that stand beside. */
  compared: readonly number[]
  /** Puts a variant beside, or takes it away; the one that stands there longest makes room. */
  compare: (id: number) => void
} {
  const { values, now, set } = useAddress()
  const changes = useMemo(() => {
    const read = changesSchema.safeParse(parsed(values.changes))
    return [...changesFor(movesOf(values.moves)), ...(read.success ? read.data : [])]
  }, [values.changes, values.moves])
  return {
    changes,
    compared: numbersIn(values.compare),
    compare: (id) => {
      const before = numbersIn(now().compare)
      const next = before.includes(id) ? before.filter((each) => each !== id) : [...before, id].slice(-MOST_COMPARED)
      set({ compare: next.length === 0 ? null : next.join() })
    },
    // From here on they are one list: a moved start is a change like any other.
    write: (next) => set({ moves: null, changes: next.length === 0 ? null : JSON.stringify(next) }),
  }
}

const numbersIn = (text = ''): readonly number[] =>
  text
    .split(',')
    .map(Number)
    .filter((id) => Number.isSafeInteger(id) && id > 0)
    .slice(0, MOST_COMPARED)

function parsed(text: string | undefined): unknown {
  try {
    return JSON.parse(text ?? '[]') as unknown
  } catch {
    return []
  }
}

/** A list of changes in words; before and after side by side. */
export function WhatIfTab({ stretch, night }: TabProps): ReactNode {
  const { zone } = useMe()
  const { changes, write, compared, compare } = useChanges()
  const { names, limits } = night
  const { data, error, isFetching } = useWhatIf(stretch, changes)
  const shown = changes.length > 0 ? data : undefined
  const { before, after } = shown ?? { before: night, after: night }
  const [pool, setPool] = useState<string | null>(null)
  return (
    <Row $top $gap={12} style={{ alignItems: 'stretch', flex: 1, minHeight: 0 }}>
      <Stack $gap={12} style={{ flex: 1, minWidth: 0 }}>
        <Figures
          figures={[
            {
              name: 'deadlines at risk',
              value: String(atRiskOf(after.forecast, limits.amber)),
              beside: `now ${atRiskOf(before.forecast, limits.amber)}`,
            },
            {
              name: 'time spent waiting',
              value: hoursOf(waitsOf(after.forecast)),
              beside: `now ${hoursOf(waitsOf(before.forecast))}`,
            },
            {
              name: 'fullest pool',
              value: `${fullestOf(after.demand)} %`,
              beside: `now ${fullestOf(before.demand)} %`,
            },
            {
              name: 'runs that move',
              value: String(shown?.difference.runs.length ?? 0),
              beside: `of ${before.forecast.runs.length}`,
            },
          ]}
        />
        <Trouble error={error} />
        <PoolChart
          pool={pool ?? mostChanged(before.demand, after.demand)}
          onPool={setPool}
          before={before}
          after={shown?.after ?? null}
        />
        {isFetching && changes.length > 0 && <Small>Both are played {SAMPLES} times …</Small>}
        <Panel style={{ flex: 'none' }}>
          <DeadlinesTable
            label="Deadlines before and after"
            deadlines={before.forecast.deadlines}
            after={shown?.after.forecast.deadlines}
            runs={before.forecast.runs}
            names={names}
            limits={limits}
          />
        </Panel>
        {compared.length > 0 && <Compared stretch={stretch} night={night} shown={shown} ids={compared} />}
        {shown && <Difference difference={shown.difference} names={names} />}
      </Stack>
      <Shelf
        $width={392}
        style={{ borderLeft: '1px solid var(--line)', borderRight: 0, padding: 12 }}
        aria-label="Changes"
      >
        <Stack $gap={8}>
          <h2>What if …</h2>
          {changes.length === 0 && <Mute>Add a change: nothing happens to anything that runs.</Mute>}
          {changes.map((change, i) => (
            <Row key={JSON.stringify(change)}>
              <span style={{ flex: 1 }}>{changeWords(change, names, zone)}</span>
              <Button
                kind="quiet"
                onPress={() => write(changes.filter((_, at) => at !== i))}
                aria-label={`Without: ${changeWords(change, names, zone)}`}
              >
                Without
              </Button>
            </Row>
          ))}
          <ChangeForm stretch={stretch} night={night} onAdd={(change) => write([...changes, change])} />
          <TakeOverMoves stretch={stretch} night={night} changes={changes} shown={shown} />
          <Variants changes={changes} compared={compared} onTake={write} onCompare={compare} />
        </Stack>
      </Shelf>
    </Row>
  )
}
