'use client'
import { useQuery } from '@tanstack/react-query'
import { useMemo, type ReactNode } from 'react'
import { flowDefinitionSchema, type FlowContent } from '@/core/work/flow'
import type { FlowFull, FlowMaterial } from '@/service/work/flows'
import type { HasLevel } from '@/service/base/area-rights'
import { MayHere } from '@/ui/hooks/me'
import type { AreaRow } from '@/service/work/areas'
import { designable } from '@/app/shared/work/designable'
import { api } from '@/ui/api'
import { useAddress } from '@/ui/hooks/address'
import { Page } from '@/ui/parts/layout'
import { NoSuch } from '@/ui/parts/no-such'
import { contentOf, FlowEditor } from './flow-editor'

const NONE: FlowMaterial = { jobs: [], flows: [], calendars: [], shared: {} }

function useMaterial(): FlowMaterial | undefined {
  const { data, isError } = useQuery({
    queryKey: ['jobs', 'material'],
    queryFn: () => api.get<FlowMaterial>('/flows/material'),
  })
  return isError ? NONE : data
}

export function NewFlowScreen(): ReactNode {
  const { values } = useAddress()
  const material = useMaterial()
  const { data: areas } = useQuery({ queryKey: ['areas'], queryFn: () => api.get<AreaRow[]>('/areas') })
  const blank = useMemo<FlowContent | null>(
    () =>
      areas
        ? {
            title: '',
            notes: '',
            areaId: Number(values.area) || designable(areas)[0]?.id || 0,
            active: true,
            definition: flowDefinitionSchema.parse({}),
          }
        : null,
    [areas, values.area],
  )
  if (!blank || !material) return <Page aria-busy="true" />
  return <FlowEditor flow={null} initial={blank} material={material} />
}

export function FlowScreen({ id }: { id: number }): ReactNode {
  const material = useMaterial()
  const { data: flow, error } = useQuery({
    queryKey: ['jobs', 'flow', id],
    queryFn: () => api.get<FlowFull & HasLevel>(`/flows/${id}`),
    refetchOnWindowFocus: false,
    staleTime: Infinity,
    refetchOnMount: 'always',
  })
  if (error) return <NoSuch href="/work" back="Work" error={error} />
  if (!flow || !material) return <Page aria-busy="true" />
  return (
    <MayHere level={flow.may}>
      <FlowEditor key={id} flow={flow} initial={contentOf(flow)} material={material} />
    </MayHere>
  )
}
