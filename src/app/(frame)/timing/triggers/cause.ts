import { EVENT_KINDS, type TriggerKind } from '@/core/events/kinds'
import type { TriggerDefinition } from '@/core/work/trigger'

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
