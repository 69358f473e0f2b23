import { EVENT_KINDS, type TriggerKind } from '@/core/events/kinds'
import type { TriggerDefinition } from '@/core/work/trigger'

/** What makes a trigger start, as it is chosen. */
export const CAUSES: readonly { readonly id: TriggerKind; readonly title: string }[] = [
  { id: 'time', title: 'its time comes' },
  { id: 'backlog', title: 'items wait in a queue' },
  { id: 'measure', title: 'a measure goes beyond' },
  { id: 'file', title: 'a file has come' },
  { id: 'after', title: 'other work has ended' },
  { id: 'call', title: 'a program calls it' },
]

const BEGIN: Record<TriggerKind, Partial<TriggerDefinition>> = {
  time: { time: { at: ['06:00'] } },
  backlog: { backlog: { queue: '', atLeast: 1, perRun: 1, most: 1 } },
  after: { after: { work: '', when: 'succeeded' } },
  measure: { measure: { of: { agent: '' }, name: 'memory', above: 90, times: 3, clear: 80 } },
  call: { call: { only: {}, signed: false } },
  file: { file: { on: { agent: '' }, path: '/in/*.csv', settled: 'PT10S', present: false } },
}

/** Another cause instead of the one that there is; what only the other kind has is taken away. */
export function causeChange(definition: TriggerDefinition, kind: TriggerKind): Partial<TriggerDefinition> {
  const none = Object.fromEntries(['time', ...EVENT_KINDS].map((key) => [key, undefined]))
  const clock = { window: undefined, lateStart: undefined }
  const limits = { between: undefined, atMost: undefined, stopAfter: undefined }
  const plain = Object.entries(definition.with).filter(([, value]) => typeof value === 'string')
  return {
    ...none,
    ...(kind === 'time' ? limits : clock),
    ...(kind === 'backlog' ? { overlap: 'wait', waitMost: undefined } : {}),
    ...BEGIN[kind],
    with: Object.fromEntries(plain),
  }
}
