import type { NoticeEvent } from '@/core/work/notice'

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
  report: 'report',
  ssh: 'SSH command',
}

/** What a notice is told of. */
export const EVENT_WORDS: Readonly<Record<NoticeEvent, string>> = {
  failed: 'it fails or is lost',
  recovered: 'it succeeds after a failure',
  'at-risk': 'its deadline is at risk',
  late: 'it is late',
  changed: 'its output has changed',
  ended: 'it ends, whatever came of it',
}
