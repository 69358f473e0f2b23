'use client'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import type { RightsChange, RightsChanges } from '@/service/work/who-may'
import { api } from '@/ui/api'
import { Small, Stack, Trouble } from '@/ui/parts/layout'

const whereOf = ({ areas, count: all }: RightsChange): string =>
  `${areas.join(', ')}${all > areas.length ? ` and ${all - areas.length} more` : ''}`

/** What a change of an area would change for whom. */
export function RightsChangesOf({ id, body }: { readonly id: number; readonly body: object }): ReactNode {
  const { data, error } = useQuery({
    queryKey: ['areas', id, 'preview', body],
    queryFn: () => api.post<RightsChanges>(`/areas/${id}/preview`, body),
    placeholderData: (before) => before,
    retry: false,
  })
  if (error) return <Trouble error={error} />
  if (!data) return null
  const people = new Set(data.changes.map(({ person }) => person)).size
  return (
    <Stack $gap={3} role="status" aria-label="What changes for whom">
      <b>
        {data.changes.length === 0
          ? 'Nothing changes for anybody.'
          : `This changes what ${people === 1 ? 'one person' : `${people} people`} may:`}
      </b>
      <ul style={{ margin: 0, paddingLeft: 18, maxHeight: 140, overflow: 'auto' }} tabIndex={0}>
        {data.changes.map((change) => (
          <li key={`${change.person} ${change.before} ${change.after}`}>
            {change.person}: {change.before} → <b>{change.after}</b> <Small>on {whereOf(change)}</Small>
          </li>
        ))}
      </ul>
      {data.more > 0 && <Small>and {data.more} more.</Small>}
    </Stack>
  )
}
