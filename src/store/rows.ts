import { snake, type Columns, type NewRowOf, type Table } from './columns'
import { many, type Tx } from './db'

/** The columns of `jsonb_to_recordset`, as PostgreSQL wants them said: `id int8, job_id int8`. */
const recordset = (columns: Columns): string =>
  Object.entries(columns)
    .map(([name, { type }]) => `${snake(name)} ${type}`)
    .join(', ')

/** Rows as one document for `jsonb_to_recordset`: bytes as PostgreSQL reads them, text without halves of characters, which it refuses. */
export function documentOf(rows: readonly object[]): string {
  return JSON.stringify(
    rows.map((row) =>
      Object.fromEntries(
        Object.entries(row).map(([name, value]: [string, unknown]) => [
          snake(name),
          Buffer.isBuffer(value) ? `\\x${value.toString('hex')}` : value,
        ]),
      ),
    ),
    (_, value: unknown) => (typeof value === 'string' ? value.toWellFormed() : value),
  )
}

/**
 * Adds rows in one statement. All have the columns that the first one has; the database fills in the others.
 *
 * @param more what follows `INSERT … SELECT`: on conflict, returning
 * @returns what `more` asks to be returned
 */
export async function insertRows<C extends Columns, Returned extends object = never>(
  tx: Tx | null,
  { name, columns }: Table<C>,
  rows: readonly NewRowOf<C>[],
  more = '',
): Promise<Returned[]> {
  const [first] = rows
  if (!first) return []
  const given = Object.fromEntries(Object.keys(first).map((column) => [column, columns[column]])) as Columns
  const names = Object.keys(given).map(snake).join(', ')
  return many<Returned>(
    tx,
    `INSERT INTO ${name} (${names}) SELECT ${names} FROM jsonb_to_recordset($1) AS u(${recordset(given)}) ${more}`,
    [documentOf(rows)],
  )
}
