import type { Connection, ConnectionKind } from '@/core/work/connections'

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
  report: { kind: 'report', report: '' },
}

export const CONNECTION_TITLES: Readonly<Record<ConnectionKind, string>> = {
  reach: 'a reach check',
  http: 'an HTTP request',
  sql: 'SQL on PostgreSQL',
  transfer: 'a file transfer (SFTP)',
  mail: 'a mail',
  ticket: 'a ticket',
  ssh: 'a command over SSH',
  report: 'a report',
}

/** What an action of each kind hands on to later steps, in words; a kind that is not here hands on nothing. */
export const HANDED_ON: Readonly<Partial<Record<ConnectionKind, string>>> = {
  reach: 'milliseconds',
  http: 'what is picked',
  sql: 'rows, and the columns of the first row',
  transfer: 'files, bytes',
  ticket: 'ticket',
  report: 'result, pages',
}
