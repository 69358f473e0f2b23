import type { TriggerKind } from '@/core/events/kinds'

/** What makes a trigger start, as it is chosen. */
export const CAUSES: readonly { readonly id: TriggerKind; readonly title: string }[] = [
  { id: 'time', title: 'its time comes' },
  { id: 'backlog', title: 'items wait in a queue' },
  { id: 'measure', title: 'a measure goes beyond' },
  { id: 'file', title: 'a file has come' },
  { id: 'after', title: 'other work has ended' },
  { id: 'call', title: 'a program calls it' },
]
