import type { Notice } from '@/core/work/notice'

/** The mail of a notice to begin with, whichever way it is come to. */
export const BLANK_MAIL: Extract<Notice['action'], { kind: 'mail' }> = {
  kind: 'mail',
  server: '',
  to: [],
  subject: '${title} ${state}',
  text: '${title} ${run} ${state}: ${reason}\n${step} ${line}\n\n${link}',
}
