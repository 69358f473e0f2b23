import type { ForecastDeadline } from '@/core/forecast/report'
import type { Setting } from '@/service/base/settings'
import { execute, many, transaction, type Tx } from '@/store/db'
import { notify } from '@/store/listen'

/** A deadline as it stands in the kept forecast. */
export interface StandingDeadline extends ForecastDeadline {
  /** What would help most, where it is at risk. */
  readonly help?: string
  readonly helpChance?: number
  /** The chance at which it was looked for. */
  readonly helpFor?: number
}

/** A chance must be so much better than the limit before a matter goes, in hundredths: it does not come and go with the noise of the samples. */
const DEAD_BAND = 3

/** Of one deadline, what the database is told. */
interface Risk {
  readonly trigger: string
  readonly occurrence: string
  readonly due: string
  readonly run: number | null
  readonly foreseen: string | null
  /** At risk now; null: between the limits, as it was. */
  readonly risk: boolean | null
  readonly evidence: string
}

/**
 * Lets it be known which deadlines are at risk, hours before: of what has begun in its run's matter, of what is still to begin in one of its own, which goes over into that of the run. Each says
 * the chance, when it is expected to end, what decides it and what would help.
 */
export async function noteRisks(deadlines: readonly StandingDeadline[], limits: Setting<'chances'>): Promise<void> {
  const risks = deadlines.flatMap((deadline): Risk[] => {
    const { chance, trigger, occurrence, due, run = null, finishP50 = null } = deadline
    if (chance === undefined) return []
    const percent = chance * 100
    const risk = percent < limits.amber ? true : percent >= Math.min(100, limits.amber + DEAD_BAND) ? false : null
    return [{ trigger, occurrence, due, run, foreseen: finishP50, risk, evidence: evidenceOf(deadline) }]
  })
  await transaction(async (tx) => {
    const changed = (await ofRuns(tx, risks)) + (await ofComing(tx, risks))
    if (changed > 0) await notify(tx, { matters: true })
  })
}

function evidenceOf({ chance = 0, finishP50, due, help, helpChance }: StandingDeadline): string {
  const percent = Math.round(chance * 100)
  const late = finishP50 ? Math.round((Date.parse(finishP50) - Date.parse(due)) / 60_000) : null
  const margin =
    late === null
      ? 'In no sample it succeeds.'
      : late > 0
        ? `Most likely ${late} min late.`
        : `Most likely ${-late} min before it is due.`
  const helps = help ? ` Would help most: ${help} (then ${Math.round((helpChance ?? 0) * 100)} %).` : ''
  return `${percent} % to be in time. ${margin}${helps}`
}

async function ofRuns(tx: Tx, all: readonly Risk[]): Promise<number> {
  const risks = all.filter(({ run }) => run !== null)
  const rows = JSON.stringify(risks)
  const columns = 'run bigint, foreseen timestamptz, risk bool, evidence text'
  const changed = await many<{ id: number; state: string | null }>(
    tx,
    `UPDATE runs r SET deadline_state = CASE WHEN x.risk THEN 'at-risk' WHEN x.risk IS NULL THEN r.deadline_state END, foreseen_at = x.foreseen
       FROM (SELECT x.*, r.id FROM jsonb_to_recordset($1::jsonb) AS x(${columns}) JOIN runs r ON r.id = x.run AND r.ended_at IS NULL AND r.due_at > now()
              ORDER BY r.id FOR NO KEY UPDATE OF r) x
      WHERE r.id = x.id AND (r.foreseen_at IS DISTINCT FROM x.foreseen OR x.risk IS NOT NULL AND (r.deadline_state IS NOT DISTINCT FROM 'at-risk') <> x.risk)
     RETURNING r.id, r.deadline_state AS state`,
    [rows],
  )
  const written = await execute(
    tx,
    `INSERT INTO matters (kind, subject, run_id, evidence)
     SELECT 'run-at-risk', 'run ' || r.id, r.id, x.evidence FROM jsonb_to_recordset($1::jsonb) AS x(${columns}) JOIN runs r ON r.id = x.run
      WHERE r.deadline_state = 'at-risk' AND r.ended_at IS NULL
     ON CONFLICT (kind, subject) WHERE state <> 'closed' DO UPDATE SET evidence = excluded.evidence WHERE matters.evidence <> excluded.evidence`,
    [rows],
  )
  const closed = await execute(
    tx,
    `UPDATE matters m SET state = 'closed', closed_at = now(), closed_by = 'it will be in time' FROM runs r
      WHERE r.id = m.run_id AND m.kind = 'run-at-risk' AND m.state <> 'closed' AND r.ended_at IS NULL AND r.deadline_state IS NULL`,
  )
  if (changed.length > 0) await notify(tx, { runs: changed.map(({ id }) => id) })
  return changed.length + written + closed
}

async function ofComing(tx: Tx, all: readonly Risk[]): Promise<number> {
  const rows = JSON.stringify(all.filter(({ run, trigger }) => run === null && !trigger.startsWith('#')))
  const named = `
    coming AS (
      SELECT DISTINCT ON (t.id, x.occurrence) t.id, t.title, x.*, 'deadline of trigger ' || t.id || ' at ' || to_char(x.occurrence AT TIME ZONE 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"') AS subject
        FROM jsonb_to_recordset($1::jsonb) AS x(trigger text, occurrence timestamptz, risk bool, evidence text) JOIN triggers t ON t.slug = x.trigger AND t.deleted_at IS NULL
       ORDER BY t.id, x.occurrence, x.risk DESC NULLS LAST)`
  const opened = await execute(
    tx,
    `WITH ${named}
     INSERT INTO matters (kind, subject, title, evidence) SELECT 'deadline-at-risk', subject, title, evidence FROM coming WHERE risk
     ON CONFLICT (kind, subject) WHERE state <> 'closed' DO UPDATE SET evidence = excluded.evidence, title = excluded.title WHERE matters.evidence <> excluded.evidence`,
    [rows],
  )
  const closed = await execute(
    tx,
    `WITH ${named}
     UPDATE matters m SET state = 'closed', closed_at = now(), closed_by = CASE WHEN c.subject IS NULL THEN 'it has begun, or does not come' ELSE 'it will be in time' END
       FROM (SELECT o.id, c.subject, c.risk FROM matters o LEFT JOIN coming c ON c.subject = o.subject WHERE o.kind = 'deadline-at-risk' AND o.state <> 'closed') c
      WHERE m.id = c.id AND (c.subject IS NULL OR c.risk = false)`,
    [rows],
  )
  return opened + closed
}
