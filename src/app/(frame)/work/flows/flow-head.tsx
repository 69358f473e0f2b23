'use client'
import { useQuery } from '@tanstack/react-query'
import { memo, type ReactNode } from 'react'
import type { FlowContent } from '@/core/work/flow'
import type { AreaRow } from '@/service/work'
import { api } from '@/ui/api'
import { Select, Switch, TextField } from '@/ui/parts/fields'
import { Small } from '@/ui/parts/layout'
import { Sentence } from '@/ui/parts/sentence'

/** What a flow is called, where it belongs, and whether it runs. Drawn again only when that is another: give it the same function each time. */
export const FlowHead = memo(function FlowHead({
  title,
  areaId,
  active,
  titleFault,
  areaFault,
  isNew,
  isLocked,
  onChange,
  children,
}: Pick<FlowContent, 'title' | 'areaId' | 'active'> & {
  titleFault: string | undefined
  areaFault: string | undefined
  isNew: boolean
  isLocked: boolean
  onChange: (change: Partial<FlowContent>, what: string) => void
  /** How long it usually takes. */
  children: ReactNode
}): ReactNode {
  const { data: areas = [] } = useQuery({ queryKey: ['areas'], queryFn: () => api.get<AreaRow[]>('/areas') })
  return (
    <Sentence inert={isLocked}>
      <TextField
        label="Title"
        value={title}
        onChange={(next) => onChange({ title: next }, 'title')}
        error={titleFault}
        width="280px"
        autoFocus={isNew}
      />
      <Select
        label="in area"
        value={areaId ? String(areaId) : null}
        onChange={(id) => onChange({ areaId: Number(id) }, 'area')}
        choices={areas.map((area) => ({ id: String(area.id), title: area.title }))}
        width="180px"
        error={areaFault}
      />
      <div style={{ paddingTop: 22 }}>
        <Switch isSelected={active} onChange={(on) => onChange({ active: on }, 'switch')}>
          {active ? 'on: it may run' : 'off: it never runs'}
        </Switch>
      </div>
      {children && <Small style={{ paddingTop: 24 }}>{children}</Small>}
    </Sentence>
  )
})
