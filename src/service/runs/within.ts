import type { Allowed } from '@/core/fleet/allowance'

/** Ids follow creation closely, not strictly: transactions overlap. This many ids of slack make the id range safe. */
const ID_SLACK = 2000

/**
 * Conditions on runs `r` that were created in a stretch, from included, to excluded; each says the ids between which such runs lie, too, so that whatever goes by number looks nowhere else.
 * @param param takes a value into the statement and gives what stands for it
 */
export function createdWithin(
  { from, to }: { readonly from?: Date | string | undefined; readonly to?: Date | string | undefined },
  param: (value: unknown) => string,
): string[] {
  const where: string[] = []
  if (from !== undefined) {
    const at = `${param(from)}::timestamptz`
    where.push(
      `r.created_at >= ${at}`,
      `r.id >= coalesce((SELECT id FROM runs WHERE created_at >= ${at} ORDER BY created_at LIMIT 1), 9e15) - ${ID_SLACK}`,
    )
  }
  if (to !== undefined) {
    const at = `${param(to)}::timestamptz`
    where.push(
      `r.created_at < ${at}`,
      `r.id <= coalesce((SELECT id FROM runs WHERE created_at < ${at} ORDER BY created_at DESC LIMIT 1), 0) + ${ID_SLACK}`,
    )
  }
  return where
}

/** Conditions on runs `r` that ended in a stretch, from included, to excluded: said so that the list in order of ends finds them by its index. */
export function endedWithin(
  { endedFrom, endedTo }: { readonly endedFrom?: string | undefined; readonly endedTo?: string | undefined },
  param: (value: unknown) => string,
): string[] {
  if (endedFrom === undefined && endedTo === undefined) return []
  const endedAt = `coalesce(r.ended_at, 'infinity')`
  return [
    ...(endedFrom === undefined ? [] : [`${endedAt} >= ${param(endedFrom)}::timestamptz`]),
    `${endedAt} < ${param(endedTo ?? 'infinity')}::timestamptz`,
    // What ended by then was there by then: the newest need not be looked through.
    ...(endedTo === undefined ? [] : createdWithin({ to: endedTo }, param)),
  ]
}

/** What held a machine in a stretch: from included, to excluded; each part may be left open. */
export interface Holding {
  readonly ranFrom?: string | undefined
  readonly ranTo?: string | undefined
  /** What it took there. */
  readonly took?: Allowed | undefined
  readonly agent?: readonly number[] | undefined
}

/** Runs `r` that these agents have or had, in two parts that share none: as the last of their machines, or in an earlier try, which had failed. @param agents what stands for their numbers */
export const triedBy = (agents: string, isOne: boolean): string[][] => [
  // One is asked for in the order of its index.
  [isOne ? `r.agent_id = (${agents}::bigint[])[1]` : `r.agent_id = ANY(${agents}::bigint[])`],
  [
    `r.agent_id <> ALL(${agents}::bigint[])`,
    `r.id = ANY(ARRAY(SELECT t.run_id FROM attempts t WHERE t.agent_id = ANY(${agents}::bigint[]) AND t.state IN ('failed','lost')))`,
  ],
]

/** Conditions on runs `r` that are in hand now, as what is in use is counted (service/fleet/allowances.ts). */
export function heldNow({ took, agent }: Holding, param: (value: unknown) => string): string[] {
  return [
    `r.state = 'running'`,
    ...(agent === undefined ? [] : [`r.agent_id = ANY(${param(agent)}::bigint[])`]),
    ...(took === undefined
      ? []
      : [
          `r.kind <> 'flow'`,
          `coalesce((SELECT b.kind FROM robots b WHERE b.id = r.robot_id), 'slots') = ${param(took)}`,
        ]),
  ]
}

/** Whether any of a stretch is said. */
export const saysHolding = ({ ranFrom, ranTo, took }: Holding): boolean =>
  ranFrom !== undefined || ranTo !== undefined || took !== undefined

/** Conditions on runs `r` of which a try was in hand at any moment of a stretch, as use is counted (use.ts); with machines: on one of them. Flows hold nothing themselves. */
export function heldWithin({ ranFrom, ranTo, took, agent }: Holding, param: (value: unknown) => string): string[] {
  const where = [
    ...(ranFrom === undefined
      ? []
      : [
          `(t.ended_at > ${param(ranFrom)}::timestamptz OR (t.ended_at IS NULL AND r.state = 'running'))`,
          // No attempt lasts longer than its time limit of at most 30 days.
          `t.handed_at > ${param(ranFrom)}::timestamptz - interval '31 days'`,
        ]),
    ...(ranTo === undefined ? [] : [`t.handed_at < ${param(ranTo)}::timestamptz`]),
    ...(agent === undefined ? [] : [`t.agent_id = ANY(${param(agent)}::bigint[])`]),
    ...(took === undefined ? [] : [`coalesce(b.kind, 'slots') = ${param(took)}`]),
  ]
  return [
    `r.id = ANY(ARRAY(SELECT t.run_id FROM attempts t JOIN runs r ON r.id = t.run_id LEFT JOIN robots b ON b.id = t.robot_id WHERE ${where.join(' AND ')}))`,
  ]
}
