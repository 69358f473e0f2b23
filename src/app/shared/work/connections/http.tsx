import type { ReactNode } from 'react'
import { METHODS } from '@/core/work/connections'
import { faultIn } from '@/ui/hooks/draft'
import { ListField } from '@/ui/parts/list-field'
import { Select } from '@/ui/parts/select'
import { Sentence } from '@/ui/parts/sentence'
import { PairsField } from '../pairs-field'
import { Text, Within, type KindProps } from './parts'

export function HttpFields(props: KindProps<'http'>): ReactNode {
  const { action, set, fault } = props
  return (
    <>
      <Sentence>
        <Select
          label="method"
          value={action.method}
          onChange={(method) => set({ method })}
          choices={METHODS.map((id) => ({ id, title: id }))}
          width="110px"
        />
        <Text {...props} name="url" label="address" width="420px" mono placeholder="https://" />
        <ListField
          label="expected status"
          value={action.expect}
          onChange={(expect) => set({ expect })}
          error={faultIn(fault, 'expect', action.expect)}
          width="130px"
        />
      </Sentence>
      <Sentence>
        <PairsField
          label="headers, one Name=value a line"
          value={action.headers}
          onChange={(headers) => set({ headers })}
          error={faultIn(fault, 'headers', action.headers)}
          names={/^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/}
          width="300px"
        />
        <PairsField
          label="to pick out of JSON, one name=/pointer a line"
          value={action.pick}
          onChange={(pick) => set({ pick })}
          error={faultIn(fault, 'pick', action.pick)}
          names={/^[a-z][A-Za-z0-9_]{0,39}$/}
          width="300px"
        />
      </Sentence>
      {action.method !== 'GET' && action.method !== 'HEAD' && (
        <Text {...props} name="body" label="body" width="620px" rows={3} mono />
      )}
      <Within {...props} />
    </>
  )
}
