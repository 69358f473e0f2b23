import { z } from 'zod'
import { hasEnded } from '@/core/run/lifecycle'
import type { JobDefinition } from '@/core/work/job'
import { config } from '@/store/config'
import { execute, many, maybeOne, transaction, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { isOutage } from '@/store/outage'
import { requireRight, requireSomewhere, type Actor } from '@/service/base/actor'
import { recordAll } from '@/service/base/audit'
import { Problem } from '@/service/base/problem'
import { readSetting } from '@/service/base/settings'
import { insertRuns } from './new-run'
import type { Receipt } from './receipts'
import { HELD_BY_RESTORE } from './restored'
import { lockRuns } from './run-life'

const pair = z.strictObject({ attempt: z.int().positive(), token: z.int().positive() })
export const takingSchema = z.strictObject({
  act: z.enum(['take', 'leave']),
  attempts: z
    .array(pair)
    .min(1, 'Choose at least one run.')
    .max(500, 'At most 500 runs are taken into the record at once.'),
})

export interface FoundRun {
  readonly attempt: number
  readonly token: number
  readonly agent: string
  readonly isConnected: boolean
  readonly run: number
  readonly try: number
  readonly title: string
  readonly handedAt: string
  /** Whose start it was: the trigger's title, or who started it. */
  readonly by: string
  /** Its agent has it in hand: leaving it out ends it. */
  readonly goesOn: boolean
  /** The flow run that it was a step of. */
  readonly flowRun: number | null
  readonly step: string | null
  /** Why it cannot be taken into the record; null: it can. */
  readonly why: string | null
}

export interface SinceBackUp {
  /** When it was found that the database was restored; null: it was not. */
  readonly restoredAt: string | null
  readonly runs: readonly FoundRun[]
  /** Attempts of which their agents cannot say what they were. */
  readonly unnamed: number
  /** Runs and steps that had not begun at the back-up: they may have run since, and wait for a person. */
  readonly held: number
}

interface Row {
  readonly attempt: number
  readonly token: number
  readonly agentId: number
  readonly agent: string
  readonly isConnected: boolean
  readonly goesOn: boolean
  readonly receipt: Receipt
  readonly title: string | null
  readonly areaId: number
  readonly definition: JobDefinition | null
  readonly triggerTitle: string | null
}

const TOLD = `
  SELECT f.attempt, f.token, f.agent_id AS "agentId", a.name AS agent, c.connection IS NOT NULL AS "isConnected", f.goes_on AS "goesOn", f.receipt, j.title, j.area_id AS "areaId",
         v.definition, t.title AS "triggerTitle"
    FROM found_attempts f JOIN agents a ON a.id = f.agent_id LEFT JOIN agent_contacts c ON c.agent_id = f.agent_id
    LEFT JOIN jobs j ON j.id = (f.receipt->>'job')::bigint
    LEFT JOIN job_versions v ON v.job_id = j.id AND v.version = (f.receipt->>'version')::int
    LEFT JOIN triggers t ON t.id = (f.receipt->'trigger'->>'id')::bigint`

/** What agents began after the back-up, the newest first. */
export async function sinceBackUp(actor: Actor): Promise<SinceBackUp> {
  requireSomewhere(actor, 'see')
  const restored = await readSetting(null, 'restored')
  if (restored === null) return { restoredAt: null, runs: [], unnamed: 0, held: 0 }
  const rows = await many<Row>(null, `${TOLD} WHERE f.state = 'told' ORDER BY f.token DESC LIMIT 2000`)
  const [counts] = await many<{ unnamed: number; held: number }>(
    null,
    `SELECT (SELECT count(*)::int FROM found_attempts WHERE state = 'asked') AS unnamed,
            (SELECT count(*)::int FROM runs WHERE state IN ('waiting','ready') AND held_by = $1)
            + (SELECT count(*)::int FROM flow_steps s JOIN runs r ON r.id = s.run_id
                WHERE r.state IN ('waiting','ready','running') AND s.held_by = $1 AND s.step_run_id IS NULL) AS held`,
    [HELD_BY_RESTORE],
  )
  return {
    restoredAt: restored.at,
    runs: rows.map((row) => ({
      attempt: row.attempt,
      token: row.token,
      agent: row.agent,
      isConnected: row.isConnected,
      run: row.receipt.run,
      try: row.receipt.try,
      title: row.title ?? `Job ${row.receipt.job}`,
      handedAt: new Date(row.receipt.handedAt).toISOString(),
      by: row.triggerTitle ?? row.receipt.starter,
      goesOn: row.goesOn,
      flowRun: row.receipt.step?.flowRun ?? null,
      step: row.receipt.step?.path ?? null,
      why: whyNot(row),
    })),
    unnamed: counts?.unnamed ?? 0,
    held: counts?.held ?? 0,
  }
}

function whyNot({ title, definition, isConnected, agent }: Row): string | null {
  if (title === null) return 'Its job was made after the back-up and is not known here.'
  if (definition === null) return 'This version of its job was saved after the back-up and is not known here.'
  return isConnected ? null : `${agent} is not connected: take it once it is.`
}

export interface Taken {
  readonly done: readonly number[]
  readonly passedOver: readonly { readonly run: number; readonly why: string }[]
}

/**
 * Takes what was begun after the back-up into the record, each by itself: its agent then tells again how it went. Or leaves it out: then its agent forgets it. Numbers are those of the runs, as they
 * were.
 */
export async function decideFound(actor: Actor, { act, attempts }: z.output<typeof takingSchema>): Promise<Taken> {
  requireRight(actor, 'operate')
  const done: number[] = []
  const passedOver: { run: number; why: string }[] = []
  for (const one of [...attempts].sort((a, b) => a.token - b.token)) {
    try {
      done.push(await transaction((tx) => decideOne(tx, actor, one, act)))
    } catch (error) {
      if (isOutage(error) || !(error instanceof Problem)) throw error
      passedOver.push({ run: Number(error.extra.run ?? 0), why: error.detail })
    }
  }
  await notify(null, { fleet: true, matters: true, place: true, runs: [...new Set(done)] })
  return { done: [...new Set(done)], passedOver }
}

async function decideOne(
  tx: Tx,
  actor: Actor,
  { attempt, token }: z.output<typeof pair>,
  act: 'take' | 'leave',
): Promise<number> {
  const row = await maybeOne<Row>(
    tx,
    `${TOLD} WHERE f.attempt = $1 AND f.token = $2 AND f.state = 'told' FOR UPDATE OF f`,
    [attempt, token],
  )
  if (!row) throw new Problem('not-now', 'Somebody has decided about it already.')
  const { run } = row.receipt
  if (act === 'take') await takeIn(tx, row)
  await execute(tx, 'UPDATE found_attempts SET state = $3 WHERE attempt = $1 AND token = $2 AND agent_id = $4', [
    attempt,
    token,
    act === 'take' ? 'taken' : 'left',
    row.agentId,
  ])
  await recordAll(tx, actor, act === 'take' ? 'took into the record' : 'left out of the record', [
    { object: { type: 'run', id: run, title: row.title ?? '' }, changes: { agent: row.agent, try: row.receipt.try } },
  ])
  return run
}

async function takeIn(tx: Tx, row: Row): Promise<void> {
  const { receipt, agentId, definition } = row
  const why = whyNot(row)
  if (why !== null || definition === null) throw new Problem('not-now', why ?? '', [], { run: receipt.run })
  const known = (await lockRuns(tx, [receipt.run])).get(receipt.run)
  const has =
    known && (hasEnded(known.life.state) ? 'an end' : known.life.attempts >= receipt.try ? 'a later try' : null)
  if (has) throw new Problem('not-now', `The record has ${has} of this run.`, [], { run: receipt.run })
  if (!known) await insertFound(tx, row, definition)
  // An earlier try was taken before: how it ended stays with its agent once a later one is there.
  await execute(
    tx,
    `UPDATE attempts SET state = 'lost', ended_at = $2, reason = 'A later try followed it.'
      WHERE run_id = $1 AND state IN ('handed','accepted','running')`,
    [receipt.run, new Date(receipt.handedAt)],
  )
  await execute(
    tx,
    `UPDATE runs SET state = 'running', attempts = $2, max_attempts = greatest(max_attempts, $2), agent_id = $3, held_by = NULL, started_at = coalesce(started_at, $4),
            ready_at = coalesce(ready_at, $4), version = version + 1
      WHERE id = $1`,
    [receipt.run, receipt.try, agentId, new Date(receipt.handedAt)],
  )
  await execute(
    tx,
    `INSERT INTO attempts (id, run_id, number, agent_id, token, state, lease_until, handed_at)
     VALUES ($1, $2, $3, $4, $5, 'accepted', now() + make_interval(secs => $6), $7)`,
    [
      receipt.attempt,
      receipt.run,
      receipt.try,
      agentId,
      receipt.token,
      config().leaseSeconds,
      new Date(receipt.handedAt),
    ],
  )
  if (receipt.step) {
    const { flowRun, index } = receipt.step
    await execute(
      tx,
      `UPDATE runs SET state = 'cancelled', ended_at = now(), held_by = NULL, version = version + 1, reason = $4
        WHERE flow_run_id = $1 AND step = $2 AND id <> $3 AND state IN ('waiting','ready')`,
      [flowRun, index, receipt.run, `Run #${receipt.run} was taken into the record.`],
    )
    await execute(
      tx,
      `UPDATE flow_steps SET state = 'ready', step_run_id = $3, held_by = NULL WHERE run_id = $1 AND step = $2 AND state IN ('waiting','ready')`,
      [flowRun, index, receipt.run],
    )
  }
}

/** Under its own number. A step whose flow run this database does not know stands by itself; an occurrence that has a run already keeps that. */
async function insertFound(tx: Tx, { receipt, areaId, title }: Row, definition: JobDefinition): Promise<void> {
  const { trigger, step } = receipt
  const flow = step && (await maybeOne(tx, 'SELECT id FROM runs WHERE id = $1 FOR KEY SHARE', [step.flowRun]))
  const work = {
    id: receipt.job,
    slug: '',
    isFlow: false,
    title: title ?? '',
    areaId,
    version: receipt.version,
    active: true,
    usualMs: null,
    // What failed then is not tried again now by itself.
    definition: { ...definition, retries: receipt.try - 1 },
  }
  const [made] = await insertRuns(tx, [
    {
      id: receipt.run,
      work,
      inputs: { open: {}, secrets: null },
      cause: step && !flow ? 'person' : receipt.cause,
      starter: { id: null, name: receipt.starter },
      createdAtMs: receipt.createdAt,
      ...(trigger
        ? {
            trigger: {
              id: trigger.id,
              version: trigger.version,
              calendarVersions: {},
              occurrence: { atMs: trigger.occurrence, day: trigger.day },
              forAgentId: receipt.forAgent,
            },
          }
        : {}),
      ...(step && flow
        ? {
            step: {
              flowRunId: step.flowRun,
              index: step.index,
              path: step.path,
              chainMs: null,
              retry: null,
              heldBy: null,
            },
          }
        : {}),
    },
  ])
  if (made === null)
    throw new Problem('not-now', 'This occurrence of its trigger has another run in the record.', [], {
      run: receipt.run,
    })
}

/** What had not begun at the back-up may begin: a person has looked at what ran since. Returns how many runs and steps it was. */
export async function releaseRestored(actor: Actor): Promise<{ released: number }> {
  requireRight(actor, 'operate')
  return transaction(async (tx) => {
    const steps = await execute(tx, 'UPDATE flow_steps SET held_by = NULL WHERE held_by = $1 AND step_run_id IS NULL', [
      HELD_BY_RESTORE,
    ])
    await execute(tx, 'UPDATE flow_steps SET held_by = NULL WHERE held_by = $1', [HELD_BY_RESTORE])
    const runs = await execute(
      tx,
      `UPDATE runs r SET held_by = NULL, version = version + 1
         FROM (SELECT id FROM runs WHERE held_by = $1 AND state IN ('waiting','ready') ORDER BY id FOR NO KEY UPDATE) h WHERE r.id = h.id`,
      [HELD_BY_RESTORE],
    )
    await recordAll(tx, actor, 'released', [
      { object: { type: 'setting', id: 'restored', title: HELD_BY_RESTORE }, changes: { runs, steps } },
    ])
    await notify(tx, { runs: [], place: true })
    return { released: runs + steps }
  })
}
