import { parse } from 'csv-parse/sync'
import { z } from 'zod'
import { faultsFrom } from '@/core/schema/faults'
import { many, transaction, type Tx } from '@/store/db'
import { requireRight, type Actor } from '@/service/base/actor'
import { invalid, Problem } from '@/service/base/problem'
import { addRobotIn, robotSchema } from './robots'

const MOST_ROWS = 1000
/** Columns of the file; the first three must be there. */
const COLUMNS = [
  'name',
  'agent',
  'account',
  'kind',
  'pools',
  'earliest',
  'latest',
  'calendar',
  'labels',
  'notes',
] as const

export const robotsFileSchema = z.strictObject({
  /** CSV (RFC 4180) with a line of headings. */
  csv: z.string().min(1, 'The file is empty.').max(1_000_000),
  /** Only say what would come of it. */
  dryRun: z.boolean().default(false),
})

export interface RobotLine {
  /** In the file; the headings are line 1. */
  readonly line: number
  readonly name: string
  /** What is wrong with it; empty: it can be registered. */
  readonly faults: readonly string[]
}

class DryRun extends Error {}

/**
 * Registers the robots of a file: all, or none where a row is not right. Each row is tried as it would be registered, so that a dry run finds what the real one would.
 *
 * @returns a line for each row; after a real run all are without faults
 */
export async function robotsFromFile(
  actor: Actor,
  { csv, dryRun }: z.output<typeof robotsFileSchema>,
): Promise<{ lines: RobotLine[]; registered: number }> {
  requireRight(actor, 'administer')
  const rows = read(csv)
  const lines: RobotLine[] = []
  try {
    await transaction(async (tx) => {
      lines.length = 0
      const known = await knownHere(tx)
      const seen = new Set<string>()
      for (const { line, row } of rows) {
        const name = row.name ?? ''
        const faults = seen.has(name.toLowerCase())
          ? ['Its name stands in the file twice.']
          : await register(tx, actor, row, known)
        seen.add(name.toLowerCase())
        lines.push({ line, name, faults })
      }
      if (dryRun || lines.some(({ faults }) => faults.length > 0)) throw new DryRun()
    })
  } catch (error) {
    if (!(error instanceof DryRun)) throw error
    const bad = lines.filter(({ faults }) => faults.length > 0)
    if (!dryRun)
      throw new Problem(
        'invalid-input',
        `Nothing was registered: ${bad.length === 1 ? 'one row is' : `${bad.length} rows are`} not right.`,
        bad.map(({ line, faults }) => ({ path: `line ${line}`, message: faults.join(' ') })),
      )
    return { lines, registered: 0 }
  }
  return { lines, registered: lines.length }
}

type Row = Partial<Record<(typeof COLUMNS)[number], string>>

function read(csv: string): { line: number; row: Row }[] {
  let table: { info: { lines: number }; record: string[] }[]
  try {
    table = parse(csv, { bom: true, info: true, trim: true, relax_column_count: true, skip_empty_lines: true }) as never
  } catch (error) {
    throw invalid('csv', `The file is no CSV: ${(error as Error).message}.`)
  }
  const [head, ...rows] = table
  const names = (head?.record ?? []).map((each) => each.toLowerCase())
  const unknown = names.filter((each) => !(COLUMNS as readonly string[]).includes(each))
  const missing = ['name', 'agent', 'account'].filter((each) => !names.includes(each))
  if (unknown.length > 0 || missing.length > 0)
    throw invalid(
      'csv',
      `The first line names the columns: ${COLUMNS.join(', ')}.${missing.length > 0 ? ` Missing: ${missing.join(', ')}.` : ''}${unknown.length > 0 ? ` Not known: ${unknown.slice(0, 5).join(', ')}.` : ''}`,
    )
  if (rows.length === 0) throw invalid('csv', 'The file has no row below its headings.')
  if (rows.length > MOST_ROWS) throw invalid('csv', `At most ${MOST_ROWS} robots at once; here are ${rows.length}.`)
  return rows.map(({ info, record }) => ({
    line: info.lines,
    row: Object.fromEntries(names.map((name, i) => [name, record[i] ?? ''])) as Row,
  }))
}

interface Known {
  readonly agents: ReadonlyMap<string, number>
  readonly accounts: ReadonlyMap<string, number>
  readonly pools: ReadonlyMap<string, number>
  readonly robots: Set<string>
}

async function knownHere(tx: Tx): Promise<Known> {
  const byName = async (sql: string): Promise<Map<string, number>> =>
    new Map((await many<{ id: number; name: string }>(tx, sql)).map(({ id, name }) => [name.toLowerCase(), id]))
  return {
    agents: await byName('SELECT id, name FROM agents WHERE credential_hash IS NOT NULL'),
    accounts: await byName('SELECT id, name FROM accounts'),
    pools: await byName('SELECT id, name FROM pools'),
    robots: new Set((await byName('SELECT id, name FROM robots WHERE removed_at IS NULL')).keys()),
  }
}

/** What is wrong with a row; empty: its robot is registered. */
async function register(tx: Tx, actor: Actor, row: Row, known: Known): Promise<string[]> {
  const faults: string[] = []
  const find = (ids: ReadonlyMap<string, number>, what: string, name = ''): number => {
    const id = ids.get(name.toLowerCase())
    if (id === undefined) faults.push(name === '' ? `It names no ${what}.` : `There is no ${what} ${name}.`)
    return id ?? 1
  }
  const words = (text = ''): string[] => text.split(/[\s;,]+/).filter(Boolean)
  const request = robotSchema.safeParse({
    name: row.name,
    agentId: find(known.agents, 'agent', row.agent),
    account: { id: find(known.accounts, 'account', row.account) },
    kind: row.kind === undefined || row.kind === '' ? 'unattended' : row.kind.toLowerCase(),
    poolIds: words(row.pools).map((pool) => find(known.pools, 'pool', pool)),
    earliest: row.earliest || null,
    latest: row.latest || null,
    calendar: row.calendar || null,
    labels: Object.fromEntries(
      words(row.labels).map((label) => [label.split('=')[0], label.split('=').slice(1).join('=')]),
    ),
    notes: row.notes ?? '',
  })
  if (!request.success) faults.push(...faultsFrom(request.error, row).map(({ path, message }) => `${path}: ${message}`))
  if (known.robots.has((row.name ?? '').toLowerCase())) faults.push(`There is a robot called ${row.name} already.`)
  if (faults.length > 0 || !request.success) return faults
  try {
    await addRobotIn(tx, actor, request.data)
    return []
  } catch (error) {
    if (!(error instanceof Problem)) throw error
    return error.errors.length > 0 ? error.errors.map(({ message }) => message) : [error.detail]
  }
}
