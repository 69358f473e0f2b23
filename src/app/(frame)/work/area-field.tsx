'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import type { AreaRow } from '@/service/work/areas'
import { mayDesign } from '@/app/shared/work/designable'
import { api } from '@/ui/api'
import { useMay } from '@/ui/hooks/me'
import { SelectOrNew } from '@/ui/parts/select-or-new'

/** The area that a job or flow lies in; one can be made on the way. 0: none yet. */
export function AreaField({
  areaId,
  onChange,
  error,
}: {
  readonly areaId: number
  readonly onChange: (areaId: number) => void
  readonly error: string | undefined
}): ReactNode {
  const { data: areas } = useQuery({ queryKey: ['areas'], queryFn: () => api.get<AreaRow[]>('/areas') })
  const { why } = useMay('design')
  const client = useQueryClient()
  return (
    <SelectOrNew
      label="in area"
      what="area"
      value={areaId ? String(areaId) : null}
      onChange={(id) => onChange(Number(id))}
      choices={(areas ?? [])
        .filter((area) => area.id === areaId || mayDesign(area))
        .map(({ id, path }) => ({ id: String(id), title: path }))}
      add={async (title) => {
        const { id } = await api.post<{ id: number }>('/areas', { title })
        await client.invalidateQueries({ queryKey: ['areas'] })
        return String(id)
      }}
      error={error}
      width="200px"
      whyNot={areas === undefined ? 'not known yet' : why}
    />
  )
}
