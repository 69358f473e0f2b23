import { factsThatDiffer } from '@/core/compare/facts'
import { fileChanges } from '@/core/changes/differences'
import { inOrder, type Change } from '@/core/changes/since-good'
import { maybeOne } from '@/store/db'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { notFound } from '@/service/base/problem'
import { comparedOf, likeRun } from '@/service/runs/compare'
import { oneRun } from '@/service/runs/run-page'
import { definitions, elsewhere, factChanges, lookedAt } from './changes-of'
import { changesOfSteps } from './changes-of-steps'
import { failedTogether, type FailedTogether } from './failed-together'

export interface WhatChanged {
  /** The last run before it that went well; null: its job never did. */
  readonly good: { readonly id: number; readonly at: string } | null
  /** The first since then that did not: the run itself, or one before it. */
  readonly firstBad: { readonly id: number; readonly at: string } | null
  /** The likeliest first. */
  readonly changes: readonly Change[]
  /** How many more there are than are told. */
  readonly more: number
  /** Suspicions, the strongest first. */
  readonly together: readonly FailedTogether[]
}

const MOST_TOLD = 12

/**
 * What is different from when this job last went well: its definition, what it was given, where and as whom it ran, and what was changed meanwhile of all that it touches. And which other jobs
 * failed on the same machine or system, or with the same account, within the hour. Nothing of it is more than a suspicion.
 */
export async function whatChanged(actor: Actor, id: number): Promise<WhatChanged> {
  requireSomewhere(actor, 'see')
  const [run] = await lookedAt([id])
  if (!run) throw notFound('run', id)
  const together = await failedTogether(actor, run)
  const { good: goodId } = await likeRun(actor, id)
  if (goodId === null) return { good: null, firstBad: null, changes: [], more: 0, together }
  const [good, now] = [await oneRun(actor, goodId), await oneRun(actor, id)]
  const firstBad = await maybeOne<{ id: number; at: Date }>(
    null,
    `SELECT id, coalesce(started_at, created_at) AS at FROM runs WHERE job_id = $1 AND id > $2 AND id <= $3 AND for_agent_id IS NOT DISTINCT FROM $4 AND state IN ('failed','lost') ORDER BY id LIMIT 1`,
    [run.jobId, goodId, id, run.forAgentId],
  )
  const goodMs = new Date(good.startedAt ?? good.createdAt).getTime()
  const badMs = firstBad?.at.getTime() ?? run.at.getTime()
  const all = inOrder(
    [
      ...(await definitions(run, good.jobVersion)),
      ...factChanges(factsThatDiffer(comparedOf(good), comparedOf(now)), good.jobVersion !== run.jobVersion),
      ...(await elsewhere(actor, run, goodMs)),
      ...fileChanges(await tellingLine(id)),
      ...(await changesOfSteps(actor, run, goodId, goodMs)),
    ],
    { goodMs, firstBadMs: badMs },
  )
  return {
    good: { id: goodId, at: new Date(goodMs).toISOString() },
    firstBad: firstBad ? { id: firstBad.id, at: firstBad.at.toISOString() } : null,
    changes: all.slice(0, MOST_TOLD),
    more: Math.max(0, all.length - MOST_TOLD),
    together,
  }
}

/** What a failed run's last try says with the line that tells most. */
async function tellingLine(id: number): Promise<string> {
  const row = await maybeOne<{ line: string }>(
    null,
    `SELECT t.telling_line AS line FROM attempts t JOIN runs r ON r.id = t.run_id WHERE r.id = $1 AND r.state IN ('failed','lost') ORDER BY t.number DESC LIMIT 1`,
    [id],
  )
  return row?.line ?? ''
}
