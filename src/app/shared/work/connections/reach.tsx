import type { ReactNode } from 'react'
import { Select } from '@/ui/parts/select'
import { Sentence } from '@/ui/parts/sentence'
import { Port, Text, Within, type KindProps } from './parts'

export function ReachFields(props: KindProps<'reach'>): ReactNode {
  const { action, set } = props
  return (
    <>
      <Sentence>
        <Select
          label="by"
          value={action.by}
          onChange={(by) => set({ by, ...(by === 'tcp' ? {} : { port: null }) })}
          choices={[
            { id: 'tcp', title: 'TCP port' },
            { id: 'http', title: 'HTTP' },
            { id: 'ping', title: 'ICMP echo' },
          ]}
          width="130px"
        />
        <Text {...props} name="host" label={action.by === 'http' ? 'address' : 'host'} width="320px" mono />
        {action.by === 'tcp' && <Port {...props} />}
      </Sentence>
      <Within {...props} />
    </>
  )
}
