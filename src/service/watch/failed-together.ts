import { isMuchLonger } from '@/core/changes/differences'
import {
  sharedCauses,
  sharedSlowness,
  type CommonKind,
  type EndedNear,
  type SharedCause,
} from '@/core/changes/together'
import { mayDo } from '@/core/people/roles'
import { many } from '@/store/db'
import type { Actor } from '@/service/base/actor'
import type { Looked } from './changes-of'

/** Runs of other jobs that failed with one, or took long with it, and what they have in common with it. */
export interface FailedTogether {
  readonly kind: CommonKind
  readonly how: SharedCause['how']
  readonly name: string
  /** Its page; null: there is none, or not for this person. */
  readonly id: number | null
  readonly runs: readonly { readonly id: number; readonly title: string; readonly at: string; readonly says: string }[]
}

const HOUR_MS = 3_600_000
const MOST_NEAR = 2000

/** Of the hour around its end: which other jobs failed on the same machine or system, or with the same account; and which took much longer than usual there, as it did. What this person may not see is not among them. */
export async function failedTogether(actor: Actor, run: Looked): Promise<FailedTogether[]> {
  if (run.isFlow || run.startedAt === null) return []
  const near = await many<{
    runId: number
    jobId: number
    title: string
    wentWell: boolean
    tookMs: number | null
    usualMs: number | null
    at: Date
    agentId: number | null
    agent: string | null
    systemId: number | null
    system: string | null
    account: string | null
    says: string
  }>(
    null,
    `SELECT r.id AS "runId", r.job_id AS "jobId", j.title, r.state NOT IN ('failed','lost') AS "wentWell", coalesce(r.ended_at, now()) AS at, coalesce(r.duration_ms, extract(epoch FROM now() - r.started_at) * 1000)::float8 AS "tookMs", j.usual_ms AS "usualMs", r.agent_id AS "agentId", g.name AS agent, s.id AS "systemId", s.title AS system, r.account,
            CASE WHEN r.state NOT IN ('failed','lost') THEN '' ELSE coalesce((SELECT t.telling_line FROM attempts t WHERE t.run_id = r.id ORDER BY t.number DESC LIMIT 1), '') END AS says
       FROM runs r JOIN jobs j ON j.id = r.job_id LEFT JOIN agents g ON g.id = r.agent_id LEFT JOIN systems s ON s.id = j.system_id
      WHERE (r.ended_at BETWEEN $1 AND $2 AND r.state IN ('succeeded','failed','lost') OR r.id = $4) AND r.kind <> 'flow' ORDER BY r.id = $4 DESC, abs(extract(epoch FROM r.ended_at - $3::timestamptz)) LIMIT ${MOST_NEAR}`,
    [new Date(run.at.getTime() - HOUR_MS), new Date(run.at.getTime() + HOUR_MS), run.at, run.id],
  )
  const ended = near
    .map(({ runId, jobId, wentWell, tookMs, usualMs, says, agent, system, account }): EndedNear => ({
      runId,
      jobId,
      wentWell,
      isSlow: tookMs !== null && usualMs !== null && isMuchLonger(tookMs, usualMs),
      says,
      common: { machine: agent, system, account },
    }))
    .sort((a, b) => a.runId - b.runId)
  const own = near.find(({ runId }) => runId === run.id)
  const pages = mayDo(actor.role, 'see')
    ? { machine: own?.agentId ?? null, system: own?.systemId ?? null, account: null }
    : { machine: null, system: null, account: null }
  return [...sharedCauses(run.id, ended), ...sharedSlowness(run.id, ended)].map(({ kind, how, name, runIds }) => ({
    kind,
    how,
    name,
    id: pages[kind],
    runs: runIds.flatMap((id) => {
      const one = near.find(({ runId }) => runId === id)
      return one ? [{ id, title: one.title, at: one.at.toISOString(), says: one.says }] : []
    }),
  }))
}
