import { z } from 'zod'
import { differencesInWords } from '@/core/work/differences'
import { many, maybeOne } from '@/store/db'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { notFound } from '@/service/base/problem'

export const versionsSchema = z.strictObject({ before: z.coerce.number().int().positive().optional() })

export interface VersionRow {
  readonly version: number
  /** null: nobody knows, it was before this was kept. */
  readonly savedBy: string | null
  readonly savedAt: string | null
  /** What differs from the version before, a sentence each; null: that one is not kept any more, or there was none. */
  readonly says: readonly string[] | null
}

const PAGE = 30
const MOST_SAID = 40

/** The versions of a job or flow, newest first, 30 at a time, each with what it changed. */
export async function workVersions(
  actor: Actor,
  id: number,
  { before }: z.output<typeof versionsSchema> = {},
): Promise<VersionRow[]> {
  requireSomewhere(actor, 'see')
  const rows = await many<Omit<VersionRow, 'says'> & { definition: unknown }>(
    null,
    `SELECT v.version, v.saved_by AS "savedBy", v.saved_at AS "savedAt", v.definition
       FROM job_versions v JOIN jobs j ON j.id = v.job_id AND j.deleted_at IS NULL
      WHERE v.job_id = $1 AND ($2::int IS NULL OR v.version < $2) ORDER BY v.version DESC LIMIT ${PAGE + 1}`,
    [id, before ?? null],
  )
  if (rows.length === 0 && before === undefined) throw notFound('job', id)
  return rows.slice(0, PAGE).map(({ definition, ...row }, i) => {
    const older = rows[i + 1]
    const says = older?.version === row.version - 1 ? differencesInWords(older.definition, definition) : null
    return {
      ...row,
      says:
        says && says.length > MOST_SAID
          ? [...says.slice(0, MOST_SAID), `And ${says.length - MOST_SAID} differences more.`]
          : says,
    }
  })
}

/** One version as it was saved, and what differs from it today. */
export async function workVersion(
  actor: Actor,
  id: number,
  version: number,
): Promise<{ readonly definition: unknown; readonly since: readonly string[] }> {
  requireSomewhere(actor, 'see')
  const row = await maybeOne<{ definition: unknown; now: unknown }>(
    null,
    `SELECT v.definition, n.definition AS now FROM job_versions v JOIN jobs j ON j.id = v.job_id AND j.deleted_at IS NULL
       JOIN job_versions n ON n.job_id = j.id AND n.version = j.version WHERE v.job_id = $1 AND v.version = $2`,
    [id, version],
  )
  if (!row) throw notFound('version', version)
  return { definition: row.definition, since: differencesInWords(row.now, row.definition).slice(0, MOST_SAID) }
}
