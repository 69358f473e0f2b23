'use client'
import type { ReactNode } from 'react'
import { heightOf, levelOf } from '@/core/people/rights'
import type { ServiceAccountRow } from '@/service/work/service-accounts'
import { Stack } from '@/ui/parts/layout'
import { rightsWith } from './right-words'
import { Tokens } from './tokens'

/** Tokens of a service account; each may as much as it, or less. */
export function ServiceTokens({
  account,
  onChanged,
}: {
  readonly account: ServiceAccountRow
  readonly onChanged: () => void
}): ReactNode {
  const choices = rightsWith('all that it may').filter(({ id }) => heightOf(levelOf(id)) <= heightOf(account.may))
  return (
    <Stack $gap={12}>
      <Tokens
        label="Tokens"
        path={`/service-accounts/${account.id}/tokens`}
        tokens={account.tokens ?? []}
        forWhat="Where it is used"
        may={choices.at(-1)?.id ?? 'see'}
        choices={choices}
        onChanged={onChanged}
      />
    </Stack>
  )
}
