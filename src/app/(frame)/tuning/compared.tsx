'use client'
import type { ReactNode } from 'react'
import type { NightView, WhatIf } from '@/service/forecast/nights'
import { Panel, Small } from '@/ui/parts/layout'
import { Table } from '@/ui/parts/table'
import { atRiskOf, fullestOf, waitsOf } from './sums'
import type { TabProps } from './tab-props'
import { useWhatIf } from './use-what-if'
import { useVariants } from './variants'
import { hoursOf, percent, triggerTitle } from './words'

interface Side {
  readonly id: string
  readonly title: string
  /** undefined: it is still played. */
  readonly view: NightView | undefined
  readonly moved: number
}

/** What stands as it is, the changes that are shown, and up to two variants, one below the other: all on the same samples. */
export function Compared({
  stretch,
  night,
  shown,
  ids,
}: TabProps & { shown: WhatIf | undefined; ids: readonly number[] }): ReactNode {
  const variants = useVariants()
  const [one, two] = ids.map((id) => variants.find((variant) => variant.id === id))
  const first = useWhatIf(stretch, one?.changes ?? [])
  const second = useWhatIf(stretch, two?.changes ?? [])
  const sideOf = (variant: typeof one, data: WhatIf | undefined): Side[] =>
    variant
      ? [{ id: String(variant.id), title: variant.title, view: data?.after, moved: data?.difference.runs.length ?? 0 }]
      : []
  const played = shown ?? first.data ?? second.data
  const sides: Side[] = [
    { id: 'now', title: 'As things stand', view: played?.before, moved: 0 },
    ...(shown ? [{ id: 'shown', title: 'These changes', view: shown.after, moved: shown.difference.runs.length }] : []),
    ...sideOf(one, first.data),
    ...sideOf(two, second.data),
  ]
  const figure = (view: NightView | undefined, of: (view: NightView) => ReactNode): ReactNode =>
    view ? of(view) : <Small>…</Small>
  return (
    <Panel style={{ flex: 'none' }}>
      <Table
        label="Side by side"
        rows={sides}
        columns={[
          { id: 'what', title: 'With', cell: ({ title }) => <b>{title}</b> },
          {
            id: 'risk',
            title: 'Deadlines at risk',
            cell: ({ view }) => figure(view, ({ forecast }) => atRiskOf(forecast, night.limits.amber)),
          },
          { id: 'least', title: 'Least chance', cell: ({ view }) => figure(view, (each) => leastChance(each, night)) },
          {
            id: 'waits',
            title: 'Time spent waiting',
            cell: ({ view }) => figure(view, ({ forecast }) => hoursOf(waitsOf(forecast))),
          },
          {
            id: 'peak',
            title: 'Fullest pool',
            cell: ({ view }) => figure(view, ({ demand }) => `${fullestOf(demand)} %`),
          },
          { id: 'moved', title: 'Runs that move', cell: ({ view, moved }) => figure(view, () => moved) },
        ]}
      />
    </Panel>
  )
}

/** The deadline that is least certain, and how certain. */
function leastChance({ forecast }: NightView, { names }: TabProps['night']): ReactNode {
  const sampled = forecast.deadlines.flatMap(({ trigger, chance }) =>
    chance === undefined ? [] : [{ trigger, chance }],
  )
  const least = sampled.reduce<(typeof sampled)[number] | null>(
    (lowest, each) => (lowest && lowest.chance <= each.chance ? lowest : each),
    null,
  )
  return least ? `${percent(least.chance)} ${triggerTitle(names, least.trigger)}` : '—'
}
