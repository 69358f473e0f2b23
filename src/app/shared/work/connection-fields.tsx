'use client'
import type { ReactNode } from 'react'
import { METHODS, type Connection, type ConnectionKind } from '@/core/work/connections'
import { Checkbox, TextField } from '@/ui/parts/fields'
import { Select } from '@/ui/parts/select'
import { Small, Stack } from '@/ui/parts/layout'
import { ListField } from '@/ui/parts/list-field'
import { NumberField, OptionalNumber } from '@/ui/parts/number-field'
import { faultIn } from '@/ui/hooks/draft'
import { Sentence, Word } from '@/ui/parts/sentence'
import { CodeField } from './code-field'
import { PairsField } from './pairs-field'

/** What a job of each kind is at first; what must be said is left empty. */
export const BLANK: { readonly [K in ConnectionKind]: Extract<Connection, { kind: K }> } = {
  reach: { kind: 'reach', by: 'tcp', host: '', port: null, withinSeconds: 10 },
  http: { kind: 'http', method: 'GET', url: '', headers: {}, body: '', expect: ['2xx'], pick: {}, withinSeconds: 60 },
  sql: {
    kind: 'sql',
    host: '',
    port: 5432,
    database: '',
    statement: '',
    parameters: [],
    leastRows: null,
    mostRows: null,
    keepRows: 200,
    tls: false,
  },
  transfer: {
    kind: 'transfer',
    direction: 'up',
    host: '',
    port: 22,
    hostKey: null,
    from: '',
    into: '',
    inputsArePaths: false,
    mostFiles: 10_000,
    mostMib: 10_240,
    least: 1,
    withinSeconds: 600,
  },
  mail: { kind: 'mail', host: '', port: 25, tls: false, from: '', to: [], subject: '', text: '' },
  ticket: { kind: 'ticket', url: '', title: '', text: '', urgency: 'normal' },
  ssh: { kind: 'ssh', host: '', port: 22, hostKey: null, command: '', withinSeconds: 3600 },
}

export const CONNECTION_TITLES: Readonly<Record<ConnectionKind, string>> = {
  reach: 'a reach check',
  http: 'an HTTP request',
  sql: 'SQL on PostgreSQL',
  transfer: 'a file transfer (SFTP)',
  mail: 'a mail',
  ticket: 'a ticket',
  ssh: 'a command over SSH',
}

interface Props {
  readonly action: Connection
  readonly onChange: (action: Connection) => void
  readonly faultOf: (path: string) => string | undefined
}

/** A job that talks to another machine or service, as sentences. */
export function ConnectionFields({ action, onChange, faultOf }: Props): ReactNode {
  const set = (change: object): void => onChange({ ...action, ...change } as Connection)
  const fault = (path: string): string | undefined => faultOf(`definition.action.${path}`)
  const text = (
    key: string,
    label: string,
    width: string,
    more: { rows?: number; placeholder?: string; mono?: boolean } = {},
  ): ReactNode => (
    <TextField
      label={label}
      value={String((action as unknown as Record<string, unknown>)[key] ?? '')}
      onChange={(value) => set({ [key]: value })}
      error={fault(key)}
      width={width}
      {...more}
    />
  )
  const port = (
    <TextField
      label="port"
      value={'port' in action && action.port !== null ? String(action.port) : ''}
      onChange={(value) => set({ port: value === '' ? null : /^\d+$/.test(value) ? Number(value) : value })}
      error={fault('port')}
      width="80px"
    />
  )
  const host = text('host', 'host', '220px', { mono: true })
  const hostKey = (
    <TextField
      label="host key (shown and not checked if empty)"
      value={'hostKey' in action ? (action.hostKey ?? '') : ''}
      onChange={(value) => set({ hostKey: value === '' ? null : value })}
      error={fault('hostKey')}
      placeholder="SHA256:…"
      mono
      width="330px"
    />
  )
  const within = 'withinSeconds' in action && (
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
  const tls = 'tls' in action && (
    <div style={{ paddingTop: 22 }}>
      <Checkbox isSelected={action.tls} onChange={(on) => set({ tls: on })}>
        by TLS from the beginning
      </Checkbox>
    </div>
  )
  switch (action.kind) {
    case 'reach':
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
            {text('host', action.by === 'http' ? 'address' : 'host', '320px', { mono: true })}
            {action.by === 'tcp' && port}
          </Sentence>
          {within}
        </>
      )
    case 'http':
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
            {text('url', 'address', '420px', { mono: true, placeholder: 'https://' })}
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
          {action.method !== 'GET' &&
            action.method !== 'HEAD' &&
            text('body', 'body', '620px', { rows: 3, mono: true })}
          {within}
        </>
      )
    case 'sql':
      return (
        <>
          <Sentence>
            {host}
            {port}
            {text('database', 'database', '150px', { mono: true })}
            {tls}
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
    case 'transfer':
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
            {text('from', 'files (* and ? in the name)', '250px', { mono: true })}
            {text('into', 'into the folder', '200px', { mono: true })}
          </Sentence>
          <Sentence>
            {host}
            {port}
            {hostKey}
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
          {within}
        </>
      )
    case 'mail':
      return (
        <>
          <Sentence>
            {host}
            {port}
            {tls}
          </Sentence>
          <Sentence>
            {text('from', 'from', '220px')}
            <ListField
              label="to, with commas between"
              value={action.to}
              onChange={(to) => set({ to })}
              error={faultIn(fault, 'to', action.to)}
              width="380px"
            />
          </Sentence>
          {text('subject', 'subject', '620px')}
          {text('text', 'text', '620px', { rows: 4 })}
        </>
      )
    case 'ticket':
      return (
        <>
          <Sentence>
            {text('url', 'address of the ticket desk', '420px', { mono: true, placeholder: 'https://' })}
            <Select
              label="urgency"
              value={action.urgency}
              onChange={(urgency) => set({ urgency })}
              choices={['low', 'normal', 'high'].map((id) => ({ id, title: id }))}
              width="110px"
            />
          </Sentence>
          {text('title', 'title of the ticket', '620px')}
          {text('text', 'text', '620px', { rows: 4 })}
        </>
      )
    case 'ssh':
      return (
        <>
          <Sentence>
            {host}
            {port}
            {hostKey}
          </Sentence>
          <CodeField
            label="Command line"
            value={action.command}
            onChange={(command) => set({ command })}
            language="sh"
            error={fault('command')}
            minHeight="46px"
          />
          {within}
        </>
      )
  }
}

/** What an action of this kind hands on to later steps. */
export function HandsOn({ kind }: { kind: ConnectionKind | 'command' | 'script' }): ReactNode {
  const words: Partial<Record<typeof kind, string>> = {
    reach: 'milliseconds',
    http: 'what is picked',
    sql: 'rows, and the columns of the first row',
    transfer: 'files, bytes',
    ticket: 'ticket',
  }
  const handed = words[kind]
  if (!handed) return null
  return (
    <Stack>
      <Small>It hands on to later steps: {handed}.</Small>
    </Stack>
  )
}
