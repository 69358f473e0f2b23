'use client'
import type { ReactNode } from 'react'
import { PRIORITIES } from '@/core/dispatch/types'
import type { FlowContent } from '@/core/work/flow'
import { NumberField } from '@/ui/parts/number-field'
import { Select } from '@/ui/parts/select'
import { TextField } from '@/ui/parts/fields'
import { Stack } from '@/ui/parts/layout'
import { Part, Sentence, Word } from '@/ui/parts/sentence'
import { InputsSection } from '../inputs-section'

/** What is said of the flow as a whole. */
export function FlowForm({
  content,
  change,
  faultOf,
}: {
  content: FlowContent
  change: (next: Partial<FlowContent>, what: string) => void
  faultOf: (path: string) => string | undefined
}): ReactNode {
  const { definition } = content
  const define = (next: Partial<FlowContent['definition']>, what: string): void =>
    change({ definition: { ...definition, ...next } }, what)
  const { keeping } = definition
  return (
    <Stack $gap={12} style={{ padding: '12px 14px' }}>
      <TextField
        label="Notes"
        rows={2}
        value={content.notes}
        onChange={(notes) => change({ notes }, 'notes')}
        error={faultOf('notes')}
      />
      <InputsSection definition={definition} define={(next) => define(next, 'inputs')} faultOf={faultOf} />
      <Part aria-label="Urgency">
        <h2>Urgency</h2>
        <Sentence>
          <Select
            label="Priority"
            hideLabel
            value={definition.priority}
            onChange={(priority) => define({ priority: priority as (typeof PRIORITIES)[number] }, 'priority')}
            choices={PRIORITIES.map((id) => ({ id, title: id }))}
            width="110px"
          />
          <Word>or that of the step’s job, whichever is more urgent</Word>
        </Sentence>
      </Part>
      <Part aria-label="Keeping">
        <h2>Keeping</h2>
        <Sentence>
          <Word>its runs for</Word>
          <NumberField
            label="Days that runs are kept"
            value={keeping.historyDays}
            onChange={(historyDays) => define({ keeping: { ...keeping, historyDays } }, 'keeping')}
            error={faultOf('definition.keeping.historyDays')}
          />
          <Word>days, with those of its steps; on the board for</Word>
          <NumberField
            label="Hours on the board"
            value={keeping.boardHours}
            onChange={(boardHours) => define({ keeping: { ...keeping, boardHours } }, 'keeping')}
            error={faultOf('definition.keeping.boardHours')}
          />
          <Word>hours</Word>
        </Sentence>
      </Part>
    </Stack>
  )
}
