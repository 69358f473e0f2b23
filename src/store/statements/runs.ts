import type { NewRowOf } from '../columns'
import { many, type Tx } from '../db'
import { insertRows } from '../rows'
import { tables } from '../tables'

type NewRunRow = NewRowOf<typeof tables.runs.columns>

/** The next numbers of runs, in order; nobody else gets them. */
export async function nextRunNumbers(tx: Tx, count: number): Promise<number[]> {
  if (count === 0) return []
  const rows = await many<{ id: number }>(
    tx,
    `SELECT nextval('runs_id_seq') AS id FROM generate_series(1, $1::int) ORDER BY id`,
    [count],
  )
  return rows.map(({ id }) => id)
}

/** Adds runs under their numbers. One for an occurrence that has a run already is left out; returned are the numbers of those that were added. */
export async function insertRunRows(tx: Tx, rows: readonly NewRunRow[]): Promise<number[]> {
  const made = await insertRows<typeof tables.runs.columns, { id: number }>(
    tx,
    tables.runs,
    rows,
    `ON CONFLICT (trigger_id, occurrence, coalesce(for_agent_id, 0)) WHERE occurrence IS NOT NULL AND event_id IS NULL DO NOTHING RETURNING id`,
  )
  return made.map(({ id }) => id)
}
