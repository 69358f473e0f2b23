import { one } from '@/store/db'

/** Whoever makes a report says so at least this often; after a longer silence it is gone, and another begins anew. */
export const SILENCE_SECONDS = 60

/** Whether a report waits to be made, its maker has fallen silent, or one is to be mailed. */
export async function reportsAreDue(): Promise<boolean> {
  const { isDue } = await one<{ isDue: boolean }>(
    null,
    `SELECT EXISTS (SELECT FROM report_results WHERE state = 'waiting' OR (state = 'making' AND heard_at < now() - make_interval(secs => $1)))
            OR EXISTS (SELECT FROM report_results WHERE mail_due <= now()) AS "isDue"`,
    [SILENCE_SECONDS],
  )
  return isDue
}
