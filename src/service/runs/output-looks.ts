import type { OutputChange } from '@/core/compare/changed'
import { execute, maybeOne, type Tx } from '@/store/db'

/** What came of looking at a success's output. `first`: there was none before to compare it with. */
export interface OutputLook {
  readonly state: 'waiting' | 'first' | 'same' | 'changed' | 'failed'
  /** The success that it was compared with. */
  readonly before: number | null
  readonly change: OutputChange | null
  /** Why nothing was compared. */
  readonly why: string
}

/** Of runs that have just succeeded, in this transaction: those whose jobs watch their output are to be looked at. */
export async function noteLooks(tx: Tx, runIds: readonly number[]): Promise<void> {
  if (runIds.length === 0) return
  await execute(
    tx,
    `INSERT INTO output_looks (run_id) SELECT r.id FROM runs r JOIN job_versions v ON v.job_id = r.job_id AND v.version = r.job_version
      WHERE r.id = ANY($1) AND jsonb_typeof(v.definition->'watches') = 'object' ON CONFLICT DO NOTHING`,
    [runIds],
  )
}

/** What came of it; null: its job does not watch, or it did not succeed. */
export async function lookOf(runId: number): Promise<OutputLook | null> {
  const row = await maybeOne<OutputLook>(
    null,
    'SELECT state, before_id AS before, change, why FROM output_looks WHERE run_id = $1',
    [runId],
  )
  return row ?? null
}
