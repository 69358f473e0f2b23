'use client'
import { useMemo, useState } from 'react'
import { foldGroups, spanOf, type DrawnGroup } from '@/core/flow/fold'
import type { DrawnStep, Span } from '@/core/flow/times'
import { count, duration } from '@/ui/format'
import type { BarLook } from './picture-bar'

const NO_GROUPS: readonly DrawnGroup[] = []
/** What a group is if one of its steps is it; the first that holds. */
const ORDER = ['failed', 'running', 'ready', 'waiting', 'planned', 'cancelled', 'succeeded', 'skipped'] as const

interface Picture {
  readonly steps: readonly DrawnStep[]
  readonly times: readonly Span[]
  readonly usual?: readonly Span[]
  readonly lookOf: (index: number) => BarLook
  readonly decides: ReadonlySet<number>
  readonly groups?: readonly DrawnGroup[]
}

/** Groups that are folded into one bar each, behind the steps of the picture: indexes from `steps.length` on are groups. */
export function useFolds({ steps, times, usual = times, lookOf, decides, groups = NO_GROUPS }: Picture): Required<
  Omit<Picture, 'groups'>
> & {
  readonly folded: ReadonlySet<string>
  readonly toggle: (id: string) => void
  readonly setAll: (isFolded: boolean) => void
  /** The group of an index that is one; undefined: it is a step. */
  readonly groupAt: (index: number) => DrawnGroup | undefined
  /** Unfolds the groups that hide a step. */
  readonly unfoldAround: (steps: ReadonlySet<number>) => void
} {
  const [folded, setFolded] = useState<ReadonlySet<string>>(new Set())
  const shown = useMemo(
    () => groups.filter(({ id, members }) => folded.has(id) && members.length > 0),
    [groups, folded],
  )
  const shape = useMemo(() => (shown.length > 0 ? foldGroups(steps, shown) : steps), [steps, shown])
  const withSpans = (spans: readonly Span[]): readonly Span[] =>
    shown.length > 0 ? [...spans, ...shown.map((group) => spanOf(group, spans))] : spans
  const usualSpans = useMemo(() => withSpans(usual), [usual, shown]) // eslint-disable-line react-hooks/exhaustive-deps
  const groupAt = (index: number): DrawnGroup | undefined => shown[index - steps.length]
  const lookOfGroup = (group: DrawnGroup): BarLook => {
    const looks = group.members.map(lookOf)
    const isBad = (look: BarLook): boolean => look.state === 'failed' && !look.tolerated
    const states = new Set(looks.filter((look) => look.state !== 'failed' || isBad(look)).map((look) => look.state))
    const { start, end } = spanOf(group, times)
    return {
      title: group.id,
      detail: `${count(group.members.length, 'step')} · ${duration(end - start)}`,
      state: ORDER.find((state) => states.has(state)) ?? 'failed',
      tolerated: states.size === 0,
      hasFault: looks.some((look) => look.hasFault),
    }
  }
  return {
    steps: shape,
    times: withSpans(times),
    usual: usualSpans,
    lookOf: (index) => {
      const group = groupAt(index)
      return group ? lookOfGroup(group) : lookOf(index)
    },
    decides: new Set([
      ...decides,
      ...shown.flatMap(({ members }, i) => (members.some((member) => decides.has(member)) ? [steps.length + i] : [])),
    ]),
    folded,
    toggle: (id) => {
      const next = new Set(folded)
      if (!next.delete(id)) next.add(id)
      setFolded(next)
    },
    setAll: (isFolded) => setFolded(new Set(isFolded ? groups.map(({ id }) => id) : [])),
    groupAt,
    unfoldAround: (hidden) => {
      const around = new Set(
        shown.filter(({ members }) => members.some((each) => hidden.has(each))).map(({ id }) => id),
      )
      if (around.size > 0) setFolded(new Set([...folded].filter((id) => !around.has(id))))
    },
  }
}
