import type { ReactNode } from 'react'
import { faultIn } from '@/ui/hooks/draft'
import { TextField } from '@/ui/parts/fields'
import { NumberField, OptionalNumber } from '@/ui/parts/number-field'
import { Sentence } from '@/ui/parts/sentence'
import { CodeField } from '../code-field'
import { Host, Port, Text, Tls, type KindProps } from './parts'

export function SqlFields(props: KindProps<'sql'>): ReactNode {
  const { action, set, fault } = props
  return (
    <>
      <Sentence>
        <Host {...props} />
        <Port {...props} />
        <Text {...props} name="database" label="database" width="150px" mono />
        <Tls {...props} />
      </Sentence>
      <CodeField
        label="Statement"
        value={action.statement}
        onChange={(statement) => set({ statement })}
        language="sh"
        error={fault('statement')}
        minHeight="46px"
      />
      <Sentence>
        <TextField
          label="parameters $1, $2 …, one a line"
          rows={2}
          mono
          value={action.parameters.join('\n')}
          onChange={(value) => set({ parameters: value === '' ? [] : value.split('\n') })}
          error={faultIn(fault, 'parameters', action.parameters)}
          width="300px"
        />
        <OptionalNumber
          label="rows at least"
          value={action.leastRows}
          onChange={(leastRows) => set({ leastRows })}
          error={fault('leastRows')}
        />
        <OptionalNumber
          label="rows at most"
          value={action.mostRows}
          onChange={(mostRows) => set({ mostRows })}
          error={fault('mostRows')}
        />
        <NumberField
          label="rows kept"
          isLabelled
          value={action.keepRows}
          onChange={(keepRows) => set({ keepRows })}
          error={fault('keepRows')}
          width="100px"
        />
      </Sentence>
    </>
  )
}
