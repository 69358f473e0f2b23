'use client'
import type { ReactNode } from 'react'
import { useOnDemand } from '../hooks/on-demand'
import type { Stretch } from '../stretch-names'
import { DaysFace } from './days-face'

/** Opens a small calendar, which comes when it is wanted; two clicks, or arrow keys and Enter, choose the first and the last day, which is meant whole. */
export function DaysButton({ onDays }: { onDays: (days: Required<Stretch>) => void }): ReactNode {
  const [Popover, open] = useOnDemand(() => import('./days-popover').then((module) => module.DaysPopover))
  if (Popover) return <Popover onDays={onDays} />
  return <DaysFace onPress={open} />
}
