import { many, type Tx } from '@/store/db'

/** What these runs handed on, by their numbers: of a flow that of its steps, as `step.name`. */
export async function handedOnBy(tx: Tx, runIds: readonly number[]): Promise<Map<number, Record<string, string>>> {
  const found = new Map<number, Record<string, string>>()
  if (runIds.length === 0) return found
  const rows = await many<{ id: number; path: string | null; outputs: Record<string, string> }>(
    tx,
    `SELECT r.id, NULL AS path, a.outputs FROM runs r JOIN attempts a ON a.run_id = r.id AND a.number = r.attempts
      WHERE r.id = ANY($1) AND a.outputs <> '{}'
     UNION ALL SELECT r.flow_run_id, r.step_path, a.outputs FROM runs r JOIN attempts a ON a.run_id = r.id AND a.number = r.attempts
      WHERE r.flow_run_id = ANY($1) AND a.outputs <> '{}'`,
    [runIds],
  )
  for (const { id, path, outputs } of rows) {
    const its = found.get(id) ?? {}
    for (const [name, value] of Object.entries(outputs)) its[path === null ? name : `${path}.${name}`] = value
    found.set(id, its)
  }
  return found
}
