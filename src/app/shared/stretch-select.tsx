'use client'
import type { ReactNode } from 'react'
import { useAddress } from '@/ui/hooks/address'
import { Select } from '@/ui/parts/select'

const STRETCHES = { hour: 'last hour', day: 'last day', week: 'last week' }
export type Stretch = keyof typeof STRETCHES

/** The stretch that is looked back over, as the address says. */
export function useStretch(): Stretch {
  const { over } = useAddress().values
  return over !== undefined && over in STRETCHES ? (over as Stretch) : 'day'
}

/** Chooses how far is looked back. */
export function StretchSelect(): ReactNode {
  const { set } = useAddress()
  return (
    <Select
      label="Over"
      hideLabel
      value={useStretch()}
      onChange={(value) => set({ over: value === 'day' ? null : value }, 'replace')}
      choices={Object.entries(STRETCHES).map(([id, title]) => ({ id, title }))}
      width="120px"
    />
  )
}
