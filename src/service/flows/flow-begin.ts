import { FlowFault } from '@/core/flow/inputs'
import { execute, type Tx } from '@/store/db'
import { asKnown, keepPlans, presentPlans, secretsWithin } from './flow-plans'
import { FlowWorld, starterOf, type FlowRow } from './flow-state'
import { changesFor, lockRuns, writeLives } from '@/service/runs/run-life'
import { sealInputs, unsealInputs } from '@/service/base/secrets'
import { dayAt, daysAround } from '@/service/work/run-days'
import type { SharedValues } from '@/service/work/shared-values'
import { timingState } from '@/service/base/timing-cache'

/** Fixes what these flow runs carry out and their day, and writes their steps. */
export async function beginFlows(
  tx: Tx,
  rows: readonly FlowRow[],
  shared: SharedValues,
  nowMs: number,
): Promise<FlowRow[]> {
  if (rows.length === 0) return []
  const lives = await lockRuns(
    tx,
    rows.map((row) => row.id),
  )
  const changes = changesFor(lives, rows, ({ id }) => ({ id, event: { type: 'handedOut', atMs: nowMs } }), nowMs)
  const done = await writeLives(tx, changes)
  const going = rows.filter((row) => done.has(row.id))
  const present = await presentPlans(tx, [...new Set(going.map((row) => row.jobId))])
  const timing = await timingState(tx)
  const dayOf = (row: FlowRow): string => row.day ?? row.occurrenceDay ?? dayAt(nowMs, row.zone)
  const knownPlans = new Map(
    going.flatMap((row) => {
      const plan = present.get(row.jobId)
      return plan
        ? [[row.id, asKnown(plan, shared.known(starterOf(row), daysAround(timing, dayOf(row))))] as const]
        : []
    }),
  )
  const plans = await keepPlans(tx, knownPlans)
  const begun = going.map((row) => {
    const within = secretsWithin(present.get(row.jobId), shared)
    return {
      ...row,
      state: 'running',
      planId: plans.get(row.id) ?? null,
      secrets:
        Object.keys(within).length > 0
          ? sealInputs({ ...unsealInputs(row.secrets, row.id), ...within }, row.id)
          : row.secrets,
      day: dayOf(row),
    }
  })
  await execute(
    tx,
    `UPDATE runs r SET plan_id = u.plan, flow_day = u.day, secrets = u.secrets
       FROM unnest($1::bigint[], $2::bigint[], $3::date[], $4::bytea[]) AS u(id, plan, day, secrets) WHERE r.id = u.id`,
    [
      begun.map((row) => row.id),
      begun.map((row) => row.planId),
      begun.map((row) => row.day),
      begun.map((row) => row.secrets),
    ],
  )
  const world = await FlowWorld.read(tx, [...new Set(begun.flatMap((row) => row.planId ?? []))])
  const places = begun.flatMap((row) => {
    try {
      return world.plan(row).steps.map(({ index }) => ({ runId: row.id, step: index }))
    } catch (error) {
      // Inputs that its flow no longer takes: told when it is worked out.
      if (error instanceof FlowFault) return []
      throw error
    }
  })
  await execute(
    tx,
    `INSERT INTO flow_steps (run_id, step, state) SELECT u.run, u.step, 'waiting' FROM unnest($1::bigint[], $2::int[]) AS u(run, step) ON CONFLICT DO NOTHING`,
    [places.map((each) => each.runId), places.map((each) => each.step)],
  )
  return begun
}
