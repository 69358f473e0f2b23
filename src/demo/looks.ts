import { lookAtNext } from '@/service/watch/outputs'
import { execute } from '@/store/db'

/** What the configuration check found in the night before: on some machines another setting than before. */
export async function addLooks(): Promise<void> {
  await execute(
    null,
    `INSERT INTO output_looks (run_id) SELECT r.id FROM runs r JOIN jobs j ON j.id = r.job_id
      WHERE j.title = 'Configuration check' AND r.state = 'succeeded' AND r.ended_at > now() - interval '24 hours' ORDER BY r.id`,
  )
  while (await lookAtNext());
  await execute(
    null,
    `UPDATE matters m SET opened_at = r.ended_at, last_at = r.ended_at FROM runs r WHERE r.id = m.run_id AND m.kind = 'output-changed'`,
  )
}
