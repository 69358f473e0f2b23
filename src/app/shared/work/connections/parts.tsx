import type { ReactNode } from 'react'
import type { Connection, ConnectionKind } from '@/core/work/connections'
import { Checkbox, TextField } from '@/ui/parts/fields'
import { NumberField } from '@/ui/parts/number-field'
import { Sentence, Word } from '@/ui/parts/sentence'
import { useSaidBy } from './said'

/** A connection of one kind, as its fields show and change it. */
export interface KindProps<K extends ConnectionKind> {
  readonly action: Extract<Connection, { kind: K }>
  readonly set: (change: Partial<Extract<Connection, { kind: K }>>) => void
  /** What is wrong at a place in the action, such as `port` or `headers.Accept`. */
  readonly fault: (path: string) => string | undefined
}
/** What fields that several kinds have need of theirs; a change is one of what they show. */
interface Held<A> {
  readonly action: A
  readonly set: (change: A) => void
  readonly fault: (path: string) => string | undefined
}

/** One of the action's texts. */
export function Text<Name extends string>({
  action,
  set,
  fault,
  name,
  ...look
}: Held<{ readonly [K in Name]: string }> & {
  name: Name
  label: string
  width: string
  rows?: number
  placeholder?: string
  mono?: boolean
}): ReactNode {
  const saidBy = useSaidBy(name)
  // Of an address the system says only where it leads.
  if (saidBy !== null && name !== 'url' && look.label !== 'address') return null
  return (
    <TextField
      {...(saidBy === null ? {} : { hint: `${saidBy} says host and port.` })}
      value={action[name]}
      onChange={(value) => set({ [name]: value } as { [K in Name]: string })}
      error={fault(name)}
      {...look}
    />
  )
}

export const Host = (props: Held<{ readonly host: string }>): ReactNode => (
  <Text {...props} name="host" label="host" width="220px" mono />
)

/** A number, or a value such as `${port}` that becomes one; what is neither is kept as it was typed, and told. */
export function Port<P extends number | string | null>({ action, set, fault }: Held<{ readonly port: P }>): ReactNode {
  if (useSaidBy('port') !== null) return null
  return (
    <TextField
      label="port"
      value={action.port === null ? '' : String(action.port)}
      onChange={(value) => set({ port: (value === '' ? null : /^\d+$/.test(value) ? Number(value) : value) as P })}
      error={fault('port')}
      width="80px"
    />
  )
}

export function HostKey({ action, set, fault }: Held<{ readonly hostKey: string | null }>): ReactNode {
  if (useSaidBy('hostKey') !== null) return null
  return (
    <TextField
      label="host key (shown and not checked if empty)"
      value={action.hostKey ?? ''}
      onChange={(value) => set({ hostKey: value === '' ? null : value })}
      error={fault('hostKey')}
      placeholder="SHA256:…"
      mono
      width="330px"
    />
  )
}

export const Within = ({ action, set, fault }: Held<{ readonly withinSeconds: number }>): ReactNode => (
  <Sentence>
    <Word>It may take</Word>
    <NumberField
      label="Seconds it may take"
      value={action.withinSeconds}
      onChange={(withinSeconds) => set({ withinSeconds })}
      error={fault('withinSeconds')}
    />
    <Word>seconds.</Word>
  </Sentence>
)

export function Tls({ action, set }: Held<{ readonly tls: boolean }>): ReactNode {
  if (useSaidBy('tls') !== null) return null
  return (
    <div style={{ paddingTop: 22 }}>
      <Checkbox isSelected={action.tls} onChange={(tls) => set({ tls })}>
        by TLS from the beginning
      </Checkbox>
    </div>
  )
}
