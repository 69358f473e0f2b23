import { useMemo, useState } from 'react'
import { childrenOf, type DrawnStep } from '@/core/flow/times'

/** A picture of more steps begins with its flow steps folded. */
const MOST_OPEN = 80

export interface OpenFlows {
  /** Changes whenever a flow step was opened or folded. */
  readonly edition: unknown
  readonly isOpen: (index: number) => boolean
  /** Steps within a flow step. */
  readonly hasInner: (index: number) => boolean
  /** Flow steps that can be opened and folded. */
  readonly flowSteps: readonly DrawnStep[]
  readonly turn: (index: number) => void
  readonly foldAll: (isFolded: boolean) => void
  /** Opens these and leaves all others as they are. */
  readonly open: (these: ReadonlySet<number>) => void
}

/** Which flow steps of a picture show what is within them. A folded group shows nothing within it. */
export function useOpenFlows(steps: readonly DrawnStep[], isGroup: (index: number) => boolean): OpenFlows {
  const [closed, setClosed] = useState<ReadonlySet<number> | null>(null)
  const children = useMemo(() => childrenOf(steps), [steps])
  const hasInner = (index: number): boolean => (children.get(index)?.length ?? 0) > 0
  const isOpen = (index: number): boolean =>
    !isGroup(index) && (closed ? !closed.has(index) : steps.length <= MOST_OPEN || !hasInner(index))
  const flowSteps = steps.filter(({ isFlow, index }) => isFlow && !isGroup(index) && hasInner(index))
  const folded = (): number[] => flowSteps.filter(({ index }) => !isOpen(index)).map(({ index }) => index)
  return {
    edition: closed,
    isOpen,
    hasInner,
    flowSteps,
    turn: (index) => {
      const now = new Set(folded())
      if (!now.delete(index)) now.add(index)
      setClosed(now)
    },
    foldAll: (isFolded) => setClosed(new Set(isFolded ? flowSteps.map(({ index }) => index) : [])),
    open: (these) => {
      if (folded().some((index) => these.has(index))) setClosed(new Set(folded().filter((index) => !these.has(index))))
    },
  }
}
