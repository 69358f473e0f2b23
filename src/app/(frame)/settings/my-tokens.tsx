'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import type { TokenRow } from '@/service/people/access-tokens'
import { api } from '@/ui/api'
import { Card } from '@/ui/parts/card'
import { Small } from '@/ui/parts/layout'
import { rightsWith } from './right-words'
import { Tokens } from './tokens'

/** Tokens for scripts of one's own. */
export function MyTokens(): ReactNode {
  const client = useQueryClient()
  const { data = [] } = useQuery({ queryKey: ['tokens'], queryFn: () => api.get<TokenRow[]>('/me/tokens') })
  return (
    <Card>
      <h2>Access tokens for scripts</h2>
      <Small>
        A token may what you choose here, and never more than you. Send it as “Authorization: Bearer …” to the API.
      </Small>
      <Tokens
        label="Access tokens"
        path="/me/tokens"
        tokens={data}
        forWhat="What it is for"
        may="operate"
        choices={rightsWith('all that you may')}
        onChanged={() => void client.invalidateQueries({ queryKey: ['tokens'] })}
      />
    </Card>
  )
}
