import type { Target } from '@/core/dispatch/types'
import type { NoticeEvent } from '@/core/work/notice'

/** Where, in words. */
export function targetWords(target: Target | null): string {
  if (target === null) return 'as its steps say'
  if ('agent' in target) return target.agent
  if ('pool' in target) return `pool ${target.pool}`
  return `any with ${Object.entries(target.labels)
    .map(([key, value]) => `${key}=${value}`)
    .join(', ')}`
}

/** Where a job or flow is edited. */
export const addressOf = ({ id, isFlow }: { readonly id: number; readonly isFlow: boolean }): string =>
  isFlow ? `/work/flows/${id}` : `/work/jobs/${id}`

export const KIND_WORDS: Record<string, string> = {
  command: 'command',
  script: 'script',
  wait: 'wait',
  flow: 'flow',
  reach: 'reach check',
  http: 'HTTP request',
  sql: 'SQL',
  transfer: 'file transfer',
  mail: 'mail',
  ticket: 'ticket',
  ssh: 'SSH command',
}

/** What a notice is told of. */
export const EVENT_WORDS: Readonly<Record<NoticeEvent, string>> = {
  failed: 'it fails or is lost',
  recovered: 'it succeeds after a failure',
  'at-risk': 'its deadline is at risk',
  late: 'it is late',
  ended: 'it ends, whatever came of it',
}
