'use client'
import { memo, type ReactNode } from 'react'
import type { FlowContent } from '@/core/work/flow'
import { Switch, TextField } from '@/ui/parts/fields'
import { Small } from '@/ui/parts/layout'
import { Reading } from '@/ui/parts/reading'
import { Sentence } from '@/ui/parts/sentence'
import { AreaField } from '../area-field'

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
  return (
    <Reading isOn={isLocked}>
      <Sentence>
        <TextField
          label="Title"
          value={title}
          onChange={(next) => onChange({ title: next }, 'title')}
          error={titleFault}
          width="280px"
          autoFocus={isNew}
        />
        <AreaField areaId={areaId} onChange={(id) => onChange({ areaId: id }, 'area')} error={areaFault} />
        <div style={{ paddingTop: 22 }}>
          <Switch isSelected={active} onChange={(on) => onChange({ active: on }, 'switch')}>
            {active ? 'on: it may run' : 'off: it never runs'}
          </Switch>
        </div>
        {children && <Small style={{ paddingTop: 24 }}>{children}</Small>}
      </Sentence>
    </Reading>
  )
})
