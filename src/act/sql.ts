import pg from 'pg'
import { plainFault, signInFault } from '@/core/work/account'
import { fill, type Connection } from '@/core/work/connections'
import { ActFault, portOf, reasonOf, type Context } from './context'

const CONNECT_MS = 15_000

/** A statement or several on PostgreSQL; rows go to the output as a table, up to a limit, and are not kept in memory. */
export async function sql(action: Extract<Connection, { kind: 'sql' }>, context: Context): Promise<void> {
  const { values, account, say, warn, hand } = context
  const settings = {
    host: fill(action.host, values),
    port: portOf(action.port, values),
    database: fill(action.database, values),
    user: account?.user,
    password: account?.secret,
    ssl: action.tls,
    connectionTimeoutMillis: CONNECT_MS,
    application_name: `bugle run ${context.run}`,
  }
  const fault = account && signInFault(account.account, account, action, values)
  if (fault) throw new ActFault(fault)
  const client = new pg.Client(settings)
  client.on('error', () => undefined)
  let inClear: string | null = null
  if (account && !action.tls)
    refuseClear(client, () => (inClear = plainFault(account.account, account, 'as the database asks for it')))
  client.on('notice', (notice) => warn(`${notice.severity ?? 'NOTICE'}: ${notice.message ?? ''}`))
  say(`→ ${settings.database} on ${settings.host}:${settings.port} as ${settings.user ?? 'nobody'}`)
  try {
    await client.connect()
  } catch (error) {
    throw new ActFault(inClear ?? `The database cannot be reached: ${reasonOf(error)}.`)
  }
  // A statement goes on without its client until it is told to stop.
  process.once('SIGTERM', () => void cancel(settings, client).finally(() => process.exit(143)))
  const parameters = action.parameters.map((each) => fill(each, values))
  say(action.statement)
  parameters.forEach((value, i) => say(`  $${i + 1} = ${value}`))
  try {
    const rows = await run(client, action, parameters, context)
    hand('rows', String(rows))
    say(`${rows} ${rows === 1 ? 'row' : 'rows'}`)
    if (action.leastRows !== null && rows < action.leastRows)
      throw new ActFault(`${rows} rows; at least ${action.leastRows} were to come.`)
    if (action.mostRows !== null && rows > action.mostRows)
      throw new ActFault(`${rows} rows; at most ${action.mostRows} were to come.`)
  } finally {
    await client.end().catch(() => undefined)
  }
}

function run(
  client: pg.Client,
  action: Extract<Connection, { kind: 'sql' }>,
  parameters: readonly string[],
  { say, warn, hand }: Context,
): Promise<number> {
  return new Promise((resolve, reject) => {
    let kept: string[][] = []
    let seen = 0
    let names: string[] = []
    const flush = (): void => {
      if (kept.length > 0) for (const line of tableOf(names, kept)) say(line)
      kept = []
    }
    // Without a callback and with a listener for rows, the driver keeps none of them.
    const query = new pg.Query(
      parameters.length > 0 ? { text: action.statement, values: [...parameters] } : { text: action.statement },
    )
    query.on('row', (row: Record<string, unknown>) => {
      if (seen === 0) {
        names = Object.keys(row)
        for (const name of names) if (/^[a-z][A-Za-z0-9_]{0,39}$/.test(name)) hand(name, textOf(row[name]))
      }
      if (seen < action.keepRows) kept.push(Object.values(row).map(textOf))
      if (++seen === action.keepRows + 1) warn(`Only the first ${action.keepRows} rows are kept here.`)
    })
    query.on('error', (error: Error & { code?: string; hint?: string }) => {
      flush()
      reject(
        new ActFault(`${error.message}${error.hint ? ` (${error.hint})` : ''}${error.code ? ` [${error.code}]` : ''}`),
      )
    })
    query.on('end', (result: unknown) => {
      flush()
      const all = (Array.isArray(result) ? result : [result]) as { rowCount?: number | null }[]
      resolve(seen > 0 ? seen : all.reduce((sum, each) => sum + (each?.rowCount ?? 0), 0))
    })
    client.query(query)
  })
}

/** A server may ask for the password as it is (PostgreSQL, 55.2.1): without TLS it is not told, unless `mayNot` gives no reason against it. */
function refuseClear(client: pg.Client, mayNot: () => string | null): void {
  const { connection } = client as unknown as {
    connection: { on: (what: string, then: () => void) => void; stream: { destroy: () => void } }
  }
  connection.on('authenticationCleartextPassword', () => {
    if (mayNot() !== null) connection.stream.destroy()
  })
}

async function cancel(settings: object, client: pg.Client): Promise<void> {
  const other = new pg.Client(settings)
  other.on('error', () => undefined)
  await other.connect()
  await other.query('SELECT pg_cancel_backend($1)', [(client as unknown as { processID: number }).processID])
  await other.end()
}

const textOf = (value: unknown): string =>
  value === null || value === undefined
    ? ''
    : value instanceof Date
      ? value.toISOString()
      : typeof value === 'object'
        ? JSON.stringify(value)
        : String(value as string | number | boolean | bigint)

const WIDEST = 60
/** Columns as wide as their widest value, up to 60 characters. */
function tableOf(names: readonly string[], rows: readonly (readonly string[])[]): string[] {
  const widths = names.map((name, i) =>
    Math.min(WIDEST, Math.max(name.length, ...rows.map((row) => (row[i] ?? '').length))),
  )
  const line = (cells: readonly string[]): string =>
    cells
      .map((cell, i) => (cell.length > WIDEST ? `${cell.slice(0, WIDEST - 1)}…` : cell.padEnd(widths[i] ?? 0)))
      .join('  ')
      .trimEnd()
  return [line(names), line(widths.map((width) => '─'.repeat(width))), ...rows.map(line)]
}
