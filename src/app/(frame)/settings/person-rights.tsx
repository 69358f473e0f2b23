'use client'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import type { RightsOfPerson } from '@/service/work/who-may'
import { api } from '@/ui/api'
import { Small, Stack, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { Table } from '@/ui/parts/table'

/** What somebody may on each area, and where it comes from. */
export function PersonRights({ id }: { readonly id: number }): ReactNode {
  const { data, error } = useQuery({
    queryKey: ['people', id, 'rights'],
    queryFn: () => api.get<RightsOfPerson>(`/people/${id}/rights`),
  })
  if (error) return <Trouble error={error} />
  if (!data) return null
  const groups = data.groups.length === 0 ? 'in no group' : `in ${data.groups.join(', ')}`
  return (
    <Stack $gap={8}>
      <Small>
        {data.role === 'none' ? 'No role in the organisation' : `Role: ${data.role}`}; {groups}. Areas that are not
        listed they do not see.
      </Small>
      <div style={{ maxHeight: 420, display: 'flex', flexDirection: 'column' }}>
        <Table
          label="Areas"
          rows={data.areas}
          columns={[
            { id: 'path', title: 'Area', cell: (area) => <Link href={`/work?area=${area.id}`}>{area.path}</Link> },
            { id: 'may', title: 'May', cell: (area) => area.may },
            { id: 'from', title: 'From', cell: (area) => area.from.join(' · ') },
          ]}
        />
      </div>
    </Stack>
  )
}
