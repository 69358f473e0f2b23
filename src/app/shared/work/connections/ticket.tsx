import type { ReactNode } from 'react'
import { Select } from '@/ui/parts/select'
import { Sentence } from '@/ui/parts/sentence'
import { Text, type KindProps } from './parts'

export function TicketFields(props: KindProps<'ticket'>): ReactNode {
  const { action, set } = props
  return (
    <>
      <Sentence>
        <Text {...props} name="url" label="address of the ticket desk" width="420px" mono placeholder="https://" />
        <Select
          label="urgency"
          value={action.urgency}
          onChange={(urgency) => set({ urgency })}
          choices={(['low', 'normal', 'high'] as const).map((id) => ({ id, title: id }))}
          width="110px"
        />
      </Sentence>
      <Text {...props} name="title" label="title of the ticket" width="620px" />
      <Text {...props} name="text" label="text" width="620px" rows={4} />
    </>
  )
}
