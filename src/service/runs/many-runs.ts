import { whereMay } from '@/service/base/area-rights'
import { z } from 'zod'
import { many } from '@/store/db'
import { isOutage } from '@/store/outage'
import type { Actor } from '@/service/base/actor'
import { closeMatter } from './matters'
import { Problem } from '@/service/base/problem'
import { clearRun, runAgain, stopRun } from './start'

const MANY_ACTS = ['stop', 'again', 'clear', 'close'] as const
export type ManyAct = (typeof MANY_ACTS)[number]

export const manyRunsSchema = z.strictObject({
  ids: z
    .array(z.int().positive())
    .min(1, 'Choose at least one run.')
    .max(500, 'At most 500 runs are changed at once.')
    .transform((ids) => [...new Set(ids)]),
  act: z.enum(MANY_ACTS),
  /** Only say what would be done. */
  dry: z.boolean().default(false),
  /** The same key twice runs each again once: send it again when an answer was lost. */
  requestKey: z.string().min(8).max(80).nullable().default(null),
})

export interface ManyRunsDone {
  /** Runs that it was done for, or would be. */
  readonly done: readonly number[]
  /** On how many machines those of them are at work. */
  readonly machines: number
  /** Runs that it does not fit, or that refused, with the reason. */
  readonly passedOver: readonly { readonly id: number; readonly why: string }[]
  /** New runs, in the order of `done`; empty but for *again*. */
  readonly made: readonly number[]
}

interface Row {
  readonly id: number
  readonly agentId: number | null
  readonly isOver: boolean
  readonly isRunning: boolean
  readonly isCleared: boolean
  readonly isStep: boolean
  readonly matterIds: number[]
}

/** Why an act does not fit a run; null: it does. */
function whyNot(act: ManyAct, row: Row | undefined): string | null {
  if (!row) return 'It is not there any more.'
  if (act === 'stop') return row.isOver ? 'It has ended already.' : null
  if (act === 'close') return row.matterIds.length > 0 ? null : 'It has no open matter.'
  if (act === 'clear') return !row.isOver ? 'It has not ended.' : row.isCleared ? 'It is off the board already.' : null
  if (!row.isOver) return 'It has not ended.'
  return row.isStep ? 'It is a step of a flow: run it again from its flow.' : null
}

/** One act on many runs, each by itself: what one refuses keeps none of the others. With `dry` nothing is done, and the answer is what would be. */
export async function actOnRuns(actor: Actor, request: z.output<typeof manyRunsSchema>): Promise<ManyRunsDone> {
  const { ids, act, dry, requestKey } = request
  // Which of these the actor may see at all: the others are not there.
  const may = await whereMay(null, actor, 'operate', 'run', ids)
  const rows = await many<Row>(
    null,
    `SELECT r.id, r.agent_id AS "agentId", r.ended_at IS NOT NULL AS "isOver", r.state = 'running' AS "isRunning", r.cleared_at IS NOT NULL AS "isCleared",
            r.flow_run_id IS NOT NULL AS "isStep",
            coalesce((SELECT array_agg(m.id) FROM matters m WHERE m.run_id = r.id AND m.state <> 'closed'), '{}') AS "matterIds"
       FROM runs r WHERE r.id = ANY($1)`,
    [[...may]],
  )
  const byId = new Map(rows.map((row) => [row.id, row]))
  const passedOver: { id: number; why: string }[] = []
  const done: number[] = []
  const made: number[] = []
  const machines = new Set<number>()
  for (const id of ids) {
    const row = byId.get(id)
    const why = whyNot(act, row)
    if (why !== null || !row) {
      passedOver.push({ id, why: why ?? '' })
      continue
    }
    try {
      if (!dry) made.push(...(await ACTS[act](actor, row, requestKey)))
      done.push(id)
      if (row.isRunning && row.agentId !== null) machines.add(row.agentId)
    } catch (error) {
      if (isOutage(error)) throw error
      passedOver.push({ id, why: error instanceof Problem ? error.detail : 'Something failed here. Try it by itself.' })
    }
  }
  return { done, machines: machines.size, passedOver, made }
}

const ACTS: Record<ManyAct, (actor: Actor, row: Row, requestKey: string | null) => Promise<number[]>> = {
  stop: async (actor, { id }) => {
    await stopRun(actor, id)
    return []
  },
  again: async (actor, { id }, requestKey) => [
    (await runAgain(actor, id, { inputs: {}, requestKey: requestKey === null ? null : `${requestKey} ${id}` })).id,
  ],
  clear: async (actor, { id }) => {
    await clearRun(actor, id)
    return []
  },
  close: async (actor, { matterIds }) => {
    for (const matter of matterIds) await closeMatter(actor, matter)
    return []
  },
}
