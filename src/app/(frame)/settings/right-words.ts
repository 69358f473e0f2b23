import type { Right } from '@/core/people/roles'

/** What a token may, in words; `all`: without a limit of its own. */
export const rightsWith = (all: string): readonly { readonly id: Right; readonly title: string }[] => [
  { id: 'see', title: 'read' },
  { id: 'operate', title: 'start and stop' },
  { id: 'design', title: 'change work' },
  { id: 'administer', title: all },
]
