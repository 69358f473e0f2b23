'use client'
import { useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import { parseTimeOfDay } from '@/core/calendar/days'
import type { Change } from '@/core/forecast/change'
import type { Measure, Move } from '@/core/tuning/tune'
import type { NightView, WhatIf } from '@/service/forecast/nights'
import { api, type ApiProblem } from '@/ui/api'
import { count } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { useMay } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { Small, Stack, Trouble } from '@/ui/parts/layout'
import type { TabProps } from './tab-props'

/** The moved starts that these changes are; null: there is another change among them. */
function movesOnly(changes: readonly Change[], { names }: TabProps['night']): Move[] | null {
  const moves = changes.map((change): Move | null => {
    if (!('at' in change) || change.at.to.length !== 1) return null
    const [to = ''] = change.at.to
    const from = names.triggers[change.at.trigger]?.at
    const [was, will] = [parseTimeOfDay(from ?? ''), parseTimeOfDay(to)]
    if (!from || was === undefined || will === undefined) return null
    return {
      trigger: change.at.trigger,
      from,
      to,
      minutes: Math.round((will - was) / 60),
      reason: 'Tried under What if.',
    }
  })
  return moves.length > 0 && moves.every((move) => move !== null) ? moves : null
}

const measureOf = ({ demand: { late, strain, relative, pools } }: NightView): Measure => ({
  late,
  strain,
  relative,
  peaks: Object.fromEntries(pools.map(({ id, peak }) => [id, peak])),
})
const latenessOf = ({ forecast: { deadlines } }: NightView): { late: number; latenessSeconds: number } => ({
  late: deadlines.filter(({ late }) => late).length,
  latenessSeconds: deadlines.reduce((sum, { margin }) => sum + Math.max(0, -(margin ?? 0)), 0),
})

/** Changes that are nothing but moved starts can be made: in one audited change, undone under Proposals like any other. */
export function TakeOverMoves({
  stretch,
  night,
  changes,
  shown,
}: TabProps & { changes: readonly Change[]; shown: WhatIf | undefined }): ReactNode {
  const { why } = useMay('design')
  const client = useQueryClient()
  const say = useSay()
  const [trouble, setTrouble] = useState<unknown>(null)
  const moves = movesOnly(changes, night)
  if (!moves || !shown) return null
  const take = (): void => {
    const { before, after } = shown
    const answer = {
      moves,
      before: measureOf(before),
      after: measureOf(after),
      // Nothing was searched for: how far it is from the best is not known.
      bound: { late: 0, strain: 0, relative: 0 },
      proven: false,
      forecast: { before: latenessOf(before), after: latenessOf(after) },
    }
    const chosen = moves.map(({ trigger }) => trigger)
    api.post<{ id: number }>('/tuning/proposals', { ...stretch, answer, chosen }).then(
      () => {
        setTrouble(null)
        say(`${count(moves.length, 'start')} moved. It can be undone under Proposals.`)
        void client.invalidateQueries({ queryKey: ['tuning'] })
      },
      (problem: ApiProblem) => setTrouble(problem),
    )
  }
  return (
    <Stack $gap={4}>
      <Button kind="strong" whyNot={why} onPress={take}>
        Move {moves.length === 1 ? 'this start' : `these ${moves.length} starts`}
      </Button>
      <Small>All that is changed are starts: they can be made as they are here.</Small>
      <Trouble error={trouble} />
    </Stack>
  )
}
