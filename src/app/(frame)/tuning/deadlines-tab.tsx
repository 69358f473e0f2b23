'use client'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { occurrenceKey } from '@/core/forecast/report'
import type { Standing } from '@/service/forecast/kept'
import { api } from '@/ui/api'
import { useAddress } from '@/ui/hooks/address'
import { Empty, Panel, Small } from '@/ui/parts/layout'
import { Chain } from './chain'
import { DeadlinesTable } from './deadlines-table'
import type { TabProps } from './tab-props'
import { percent } from './words'

/** Every deadline of the stretch: its chance, when it is met, what decides it, what would help; one opened on a time scale. */
export function DeadlinesTab({ night }: TabProps): ReactNode {
  const { values, set } = useAddress()
  const { forecast, names, limits } = night
  const { data: standing } = useQuery({
    queryKey: ['forecast'],
    queryFn: () => api.get<Standing | null>('/forecast'),
    refetchInterval: 60_000,
  })
  const helps = new Map(
    standing?.deadlines.flatMap((each) => (each.help ? [[occurrenceKey(each), each] as const] : [])),
  )
  const chosen = forecast.deadlines.find((deadline) => occurrenceKey(deadline) === values.deadline)
  if (forecast.deadlines.length === 0)
    return (
      <Empty title="Nothing has to be finished by a time in this stretch">
        A trigger with a “finish by” has a deadline for each of its starts. Give one its time on its page, or look at
        another stretch.
      </Empty>
    )
  return (
    <>
      <Panel style={{ flex: 'none' }}>
        <DeadlinesTable
          label="Deadlines"
          deadlines={forecast.deadlines}
          runs={forecast.runs}
          names={names}
          limits={limits}
          onOpen={(deadline) => set({ deadline: occurrenceKey(deadline) }, 'replace')}
          more={[
            {
              id: 'help',
              title: 'Would help most',
              maxWidth: 260,
              cell: ({ deadline }) => {
                const help = helps.get(occurrenceKey(deadline))
                if (!help) return null
                const words = `${help.help}: ${percent(help.helpChance ?? 0)}`
                return <Small title={words}>{words}</Small>
              },
            },
          ]}
        />
      </Panel>
      {chosen ? (
        <Chain
          deadline={chosen}
          runs={forecast.runs}
          names={names}
          onClose={() => set({ deadline: null }, 'replace')}
        />
      ) : (
        <Small>Choose a deadline to see what leads to it, run by run.</Small>
      )}
    </>
  )
}
