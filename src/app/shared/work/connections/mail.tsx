import type { ReactNode } from 'react'
import { faultIn } from '@/ui/hooks/draft'
import { ListField } from '@/ui/parts/list-field'
import { Sentence } from '@/ui/parts/sentence'
import { Host, Port, Text, Tls, type KindProps } from './parts'

export function MailFields(props: KindProps<'mail'>): ReactNode {
  const { action, set, fault } = props
  return (
    <>
      <Sentence>
        <Host {...props} />
        <Port {...props} />
        <Tls {...props} />
      </Sentence>
      <Sentence>
        <Text {...props} name="from" label="from" width="220px" />
        <ListField
          label="to, with commas between"
          value={action.to}
          onChange={(to) => set({ to })}
          error={faultIn(fault, 'to', action.to)}
          width="380px"
        />
      </Sentence>
      <Text {...props} name="subject" label="subject" width="620px" />
      <Text {...props} name="text" label="text" width="620px" rows={4} />
    </>
  )
}
