import type { Target } from '@/core/dispatch/types'

/** Where, in words. */
export function targetWords(target: Target | null): string {
  if (target === null) return 'as its steps say'
  if ('agent' in target) return target.agent
  if ('pool' in target) return `pool ${target.pool}`
  return `any with ${Object.entries(target.labels)
    .map(([key, value]) => `${key}=${value}`)
    .join(', ')}`
}

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
