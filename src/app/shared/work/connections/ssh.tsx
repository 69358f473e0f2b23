import type { ReactNode } from 'react'
import { Sentence } from '@/ui/parts/sentence'
import { CodeField } from '../code-field'
import { Host, HostKey, Port, Within, type KindProps } from './parts'

export function SshFields(props: KindProps<'ssh'>): ReactNode {
  const { action, set, fault } = props
  return (
    <>
      <Sentence>
        <Host {...props} />
        <Port {...props} />
        <HostKey {...props} />
      </Sentence>
      <CodeField
        label="Command line"
        value={action.command}
        onChange={(command) => set({ command })}
        language="sh"
        error={fault('command')}
        minHeight="46px"
      />
      <Within {...props} />
    </>
  )
}
