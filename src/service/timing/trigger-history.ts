import { z } from 'zod'
import type { ShownEvent } from '@/core/events/facts'
import type { RunState } from '@/core/run/lifecycle'
import { many } from '@/store/db'
import { SHOWN_EVENT } from '@/store/statements/events'
import { likeText } from '@/store/like'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { notFound } from '@/service/base/problem'
import { machinesFor, machinesOf } from '@/service/fleet/targets'
import { jobOf } from './trigger-check'
import { NOT_STARTED_WHY } from './not-started'
import { oneTrigger } from './triggers'

export const historySchema = z.strictObject({
  before: z.iso.datetime({ offset: true }).optional(),
  limit: z.coerce.number().int().min(1).max(200).default(60),
})

export type HistoryRow =
  | {
      readonly kind: 'run'
      readonly at: string
      readonly id: number
      readonly state: RunState
      readonly agent: string | null
      readonly startedAt: string | null
      readonly durationMs: number | null
      /** Past its finish-by when it ended. */
      readonly late: boolean
      readonly version: number
      /** null: by the trigger itself. */
      readonly starter: string | null
      /** What happened that started it; null: its time came, or a person did. */
      readonly event: ShownEvent | null
    }
  | {
      readonly kind: 'not started'
      readonly at: string
      readonly first: string
      readonly times: number
      readonly why: string
      readonly detail: string
      readonly runId: number | null
    }

/** What ran where and when, and what was not started and why; newest first. */
export async function triggerHistory(
  actor: Actor,
  id: number,
  { before, limit }: z.output<typeof historySchema>,
): Promise<HistoryRow[]> {
  requireSomewhere(actor, 'see')
  const runs = await many<Omit<Extract<HistoryRow, { kind: 'run' }>, 'kind'>>(
    null,
    `SELECT coalesce(r.occurrence, r.created_at) AS at, r.id, r.state, a.name AS agent, r.started_at AS "startedAt", r.duration_ms AS "durationMs",
            coalesce(r.ended_at, now()) > r.due_at IS TRUE AS late, r.trigger_version AS version, CASE WHEN r.occurrence IS NULL THEN r.starter_name END AS starter,
            ${SHOWN_EVENT} AS event
       FROM runs r LEFT JOIN agents a ON a.id = r.agent_id LEFT JOIN trigger_events e ON e.id = r.event_id
      WHERE r.trigger_id = $1 AND ($2::timestamptz IS NULL OR coalesce(r.occurrence, r.created_at) < $2) ORDER BY r.id DESC LIMIT $3`,
    [id, before ?? null, limit],
  )
  const missed = await many<Omit<Extract<HistoryRow, { kind: 'not started' }>, 'kind'>>(
    null,
    `SELECT last_occurrence AS at, first_occurrence AS first, times, why, detail, run_id AS "runId" FROM not_started
      WHERE trigger_id = $1 AND ($2::timestamptz IS NULL OR last_occurrence < $2) ORDER BY last_occurrence DESC LIMIT $3`,
    [id, before ?? null, limit],
  )
  const time = (row: { at: string }): number => new Date(row.at).getTime()
  return [
    ...runs.map((row): HistoryRow => ({ kind: 'run', ...row })),
    ...missed.map((row): HistoryRow => ({ kind: 'not started', ...row })),
  ]
    .sort((a, b) => time(b) - time(a))
    .slice(0, limit)
}

export interface MachineRow {
  readonly agent: string
  readonly agentId: number
  /** The last run of this trigger on the machine; null: it has not had it. */
  readonly last: { readonly id: number; readonly state: string; readonly at: string } | null
  readonly runs: number
}

/** Every machine of a trigger's target, and when each had it last: did every machine get it? */
export async function triggerMachines(actor: Actor, id: number): Promise<MachineRow[]> {
  const trigger = await oneTrigger(actor, id)
  const job = await jobOf(null, trigger.jobId)
  if (!job) throw notFound('job', trigger.jobId)
  const machines = machinesFor(await machinesOf(null), job.definition)
  const rows = await many<{ agentId: number; runs: number; last: MachineRow['last'] }>(
    null,
    `SELECT r.agent_id AS "agentId", count(*)::int AS runs,
            (array_agg(jsonb_build_object('id', r.id, 'state', r.state, 'at', coalesce(r.ended_at, r.started_at, r.created_at)) ORDER BY r.id DESC))[1] AS last
       FROM runs r WHERE r.trigger_id = $1 AND r.agent_id IS NOT NULL AND r.created_at > now() - interval '60 days' GROUP BY r.agent_id`,
    [id],
  )
  const byAgent = new Map(rows.map((row) => [row.agentId, row]))
  return machines.map(({ id: agentId, name }) => ({
    agent: name,
    agentId,
    last: byAgent.get(agentId)?.last ?? null,
    runs: byAgent.get(agentId)?.runs ?? 0,
  }))
}

export interface MissedRow {
  readonly id: number
  readonly triggerId: number
  readonly title: string
  readonly first: string
  readonly last: string
  readonly times: number
  readonly why: string
  readonly detail: string
  readonly runId: number | null
  readonly at: string
}

export const missedSchema = z.strictObject({
  before: z.coerce.number().int().optional(),
  why: z.enum(NOT_STARTED_WHY).optional(),
  /** Part of the trigger's title. */
  text: z.string().trim().max(100).optional(),
  /** Of when it was due: from included, to excluded. */
  from: z.iso.datetime({ offset: true }).optional(),
  to: z.iso.datetime({ offset: true }).optional(),
})

/** What was not started of all triggers, newest first, 100 at a time. */
export async function listMissed(
  actor: Actor,
  { before, why, text, from, to }: z.output<typeof missedSchema> = {},
): Promise<MissedRow[]> {
  requireSomewhere(actor, 'see')
  return many(
    null,
    `SELECT n.id, n.trigger_id AS "triggerId", t.title, n.first_occurrence AS first, n.last_occurrence AS last, n.times, n.why, n.detail, n.run_id AS "runId", n.at
       FROM not_started n JOIN triggers t ON t.id = n.trigger_id
      WHERE ($1::bigint IS NULL OR n.id < $1) AND ($2::text IS NULL OR n.why = $2) AND ($3::text IS NULL OR t.title ILIKE $3)
        AND ($4::timestamptz IS NULL OR n.last_occurrence >= $4) AND ($5::timestamptz IS NULL OR n.first_occurrence < $5)
      ORDER BY n.id DESC LIMIT 100`,
    [before ?? null, why ?? null, text ? `%${likeText(text)}%` : null, from ?? null, to ?? null],
  )
}
