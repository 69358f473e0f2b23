'use client'
import type { ComponentType, ReactNode } from 'react'
import type { Connection, ConnectionKind } from '@/core/work/connections'
import { HttpFields } from './connections/http'
import { MailFields } from './connections/mail'
import type { KindProps } from './connections/parts'
import { ReachFields } from './connections/reach'
import { ReportFields } from './connections/report'
import { SqlFields } from './connections/sql'
import { SshFields } from './connections/ssh'
import { TicketFields } from './connections/ticket'
import { TransferFields } from './connections/transfer'

const FIELDS: { readonly [K in ConnectionKind]: ComponentType<KindProps<K>> } = {
  reach: ReachFields,
  http: HttpFields,
  sql: SqlFields,
  transfer: TransferFields,
  mail: MailFields,
  ticket: TicketFields,
  ssh: SshFields,
  report: ReportFields,
}

/** A job that talks to another machine or service, as sentences. */
export function ConnectionFields({
  action,
  onChange,
  faultOf,
}: {
  action: Connection
  onChange: (action: Connection) => void
  faultOf: (path: string) => string | undefined
}): ReactNode {
  const Fields = FIELDS[action.kind] as ComponentType<KindProps<ConnectionKind>>
  return (
    <Fields
      action={action}
      set={(change) => onChange({ ...action, ...change } as Connection)}
      fault={(path) => faultOf(`definition.action.${path}`)}
    />
  )
}
