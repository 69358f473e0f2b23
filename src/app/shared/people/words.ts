import type { Level } from '@/core/people/rights'
import type { Role } from '@/core/people/roles'

/** What a level lets somebody do, for lists to choose from. */
export const LEVEL_WORDS: Readonly<Record<Level, string>> = {
  see: 'see',
  operate: 'operate: start, stop, switch',
  design: 'design: change work',
  manage: 'manage: members too',
}

export const ROLE_CHOICES: readonly { readonly id: Role; readonly title: string }[] = [
  { id: 'none', title: 'none: only areas' },
  { id: 'viewer', title: 'viewer' },
  { id: 'operator', title: 'operator' },
  { id: 'designer', title: 'designer' },
  { id: 'administrator', title: 'administrator' },
]
