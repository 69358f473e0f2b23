import type { ReactNode } from 'react'
import { Checkbox } from '@/ui/parts/fields'
import { NumberField } from '@/ui/parts/number-field'
import { Select } from '@/ui/parts/select'
import { Sentence, Word } from '@/ui/parts/sentence'
import { Host, HostKey, Port, Text, Within, type KindProps } from './parts'

export function TransferFields(props: KindProps<'transfer'>): ReactNode {
  const { action, set, fault } = props
  return (
    <>
      <Sentence>
        <Select
          label="direction"
          value={action.direction}
          onChange={(direction) => set({ direction })}
          choices={[
            { id: 'up', title: 'from here to there' },
            { id: 'down', title: 'from there to here' },
          ]}
          width="170px"
        />
        <Text {...props} name="from" label="files (* and ? in the name)" width="250px" mono />
        <Text {...props} name="into" label="into the folder" width="200px" mono />
      </Sentence>
      <Sentence>
        <Host {...props} />
        <Port {...props} />
        <HostKey {...props} />
      </Sentence>
      <Sentence>
        <Word>At least</Word>
        <NumberField
          label="Files at least"
          value={action.least}
          onChange={(least) => set({ least })}
          error={fault('least')}
        />
        <Word>files must fit, at most</Word>
        <NumberField
          label="Files at most"
          value={action.mostFiles}
          onChange={(mostFiles) => set({ mostFiles })}
          error={fault('mostFiles')}
        />
        <Word>of</Word>
        <NumberField
          label="MiB at most"
          value={action.mostMib}
          onChange={(mostMib) => set({ mostMib })}
          error={fault('mostMib')}
        />
        <Word>MiB in all.</Word>
      </Sentence>
      <Checkbox isSelected={action.inputsArePaths} onChange={(inputsArePaths) => set({ inputsArePaths })}>
        Values of inputs may have folders in them
      </Checkbox>
      <Within {...props} />
    </>
  )
}
