import { z } from 'zod'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { record } from '@/service/base/audit'
import { notFound, Problem, type FieldFault } from '@/service/base/problem'
import { saveTriggerIn } from '@/service/timing/triggers'
import { many, maybeOne, one, execute, transaction, type Tx } from '@/store/db'
import { triggerDefinitionSchema, type TriggerDefinition } from '@/core/work/trigger'
import { timeOfDaySchema } from '@/core/timing/rule'
import { stretchSchema } from './nights'
import { seenNames } from './seen'

const measureSchema = z.strictObject({
  late: z.number(),
  strain: z.number(),
  peaks: z.record(z.string(), z.number()),
  relative: z.number(),
})
const latenessSchema = z.strictObject({ late: z.number(), latenessSeconds: z.number() })
const moveSchema = z.strictObject({
  trigger: z.string().max(80),
  from: timeOfDaySchema,
  to: timeOfDaySchema,
  minutes: z.number(),
  reason: z.string().max(500),
})
const answerSchema = z.strictObject({
  moves: z.array(moveSchema).min(1, 'A proposal has at least one move.').max(5000).readonly(),
  before: measureSchema,
  after: measureSchema,
  bound: z.strictObject({ late: z.number(), strain: z.number(), relative: z.number() }),
  proven: z.boolean(),
  forecast: z.strictObject({ before: latenessSchema, after: latenessSchema }),
  withheld: z.string().optional(),
})
export const proposalSchema = stretchSchema.extend({
  answer: answerSchema,
  /** Triggers whose moves are taken over. */
  chosen: z.array(z.string().max(80)).min(1, 'Choose at least one move.').max(5000),
})
type Answer = z.output<typeof answerSchema>

/** What was changed of a trigger, so that it can be undone exactly. */
interface Taken {
  readonly trigger: string
  readonly id: number
  readonly version: number
  readonly before: TriggerDefinition
}

export interface ProposalRow {
  readonly id: number
  readonly from: string
  readonly hours: number
  readonly answer: Answer
  /** Triggers that were changed. */
  readonly taken: readonly string[]
  readonly takenBy: string
  readonly takenAt: string
  /** Triggers that were put back, and why others were not. */
  readonly undone: {
    readonly back: readonly string[]
    readonly kept: readonly { trigger: string; why: string }[]
  } | null
  readonly undoneBy: string | null
  readonly undoneAt: string | null
  readonly came: Outcome
}

/** What came of it in the nights since, and how it was as long before: deadlines of the moved triggers met, and the most slots in use at once. */
export interface Outcome {
  readonly before: { readonly deadlines: number; readonly inTime: number; readonly peak: number | null }
  readonly since: { readonly deadlines: number; readonly inTime: number; readonly peak: number | null }
}

/** Moves the chosen triggers, all in one change, after looking again whether each still starts when the proposal says; refused whole with every one that does not. */
export async function takeOver(
  actor: Actor,
  { from, hours, answer, chosen }: z.output<typeof proposalSchema>,
): Promise<{ id: number }> {
  requireSomewhere(actor, 'design')
  return transaction(async (tx) => {
    const moves = answer.moves.filter(({ trigger }) => chosen.includes(trigger))
    const rows = new Map(
      (
        await lockBySlug(
          tx,
          moves.map(({ trigger }) => trigger),
        )
      ).map((row) => [row.slug, row]),
    )
    const faults: FieldFault[] = []
    const taken: Taken[] = []
    for (const { trigger, from: was } of moves) {
      const row = rows.get(trigger)
      const time = row?.definition.time
      if (!row) faults.push({ path: trigger, message: 'It was removed meanwhile.' })
      else if (!row.enabled) faults.push({ path: trigger, message: 'It was switched off meanwhile.' })
      else if (!time || !('at' in time) || time.at.join() !== was)
        faults.push({ path: trigger, message: `It does not start at ${was} any more.` })
      else taken.push({ trigger, id: row.id, version: row.version + 1, before: row.definition })
    }
    if (faults.length > 0)
      throw new Problem(
        'conflict',
        `Nothing was changed: ${faults.map(({ path, message }) => `${path}: ${message}`).join(' ')} Search again, or leave these out.`,
        faults,
      )
    for (const { trigger, to } of moves) {
      const { id, title, notes, jobId, enabled, version, definition } = rows.get(trigger) as LockedTrigger
      const next = { ...definition, time: { at: [to] } }
      await saveTriggerIn(tx, actor, id, { title, notes, jobId, enabled, version, definition: next, sure: true })
    }
    const { id } = await one<{ id: number }>(
      tx,
      `INSERT INTO proposals (made_by, from_at, hours, answer, taken, taken_by, taken_at) VALUES ($1, $2, $3, $4, $5, $1, now()) RETURNING id`,
      [actor.name, from, hours, JSON.stringify(answer), JSON.stringify(taken)],
    )
    await record(tx, actor, 'took over', { type: 'proposal', id, title: `${moves.length} moved starts` }, { moves })
    return { id }
  })
}

interface LockedTrigger {
  readonly id: number
  readonly slug: string
  readonly title: string
  readonly notes: string
  readonly jobId: number
  readonly enabled: boolean
  readonly version: number
  readonly definition: TriggerDefinition
}

async function lockBySlug(tx: Tx, slugs: readonly string[]): Promise<LockedTrigger[]> {
  const rows = await many<LockedTrigger>(
    tx,
    `SELECT id, slug, title, notes, job_id AS "jobId", enabled, version, definition FROM triggers WHERE slug = ANY($1) AND deleted_at IS NULL ORDER BY id FOR UPDATE`,
    [slugs],
  )
  return rows.flatMap((row) => {
    const read = triggerDefinitionSchema.safeParse(row.definition)
    return read.success ? [{ ...row, definition: read.data }] : []
  })
}

/** Puts the triggers back to what they were, exactly; one that somebody changed since stays as it is, and is named. */
export async function undo(actor: Actor, id: number): Promise<NonNullable<ProposalRow['undone']>> {
  requireSomewhere(actor, 'design')
  return transaction(async (tx) => {
    const row = await maybeOne<{ taken: Taken[] | null; undoneAt: Date | null }>(
      tx,
      'SELECT taken, undone_at AS "undoneAt" FROM proposals WHERE id = $1 FOR UPDATE',
      [id],
    )
    if (!row?.taken) throw notFound('proposal', id)
    if (row.undoneAt) throw new Problem('not-now', 'It was undone already.')
    const now = new Map(
      (
        await lockBySlug(
          tx,
          row.taken.map(({ trigger }) => trigger),
        )
      ).map((each) => [each.id, each]),
    )
    const back: string[] = []
    const kept: { trigger: string; why: string }[] = []
    for (const { trigger, id: of, version, before } of row.taken) {
      const current = now.get(of)
      if (!current) kept.push({ trigger, why: 'It was removed since.' })
      else if (current.version !== version) kept.push({ trigger, why: 'Somebody changed it since.' })
      else {
        const { title, notes, jobId, enabled } = current
        await saveTriggerIn(tx, actor, of, { title, notes, jobId, enabled, version, definition: before, sure: true })
        back.push(trigger)
      }
    }
    await execute(tx, 'UPDATE proposals SET undone = $2, undone_by = $3, undone_at = now() WHERE id = $1', [
      id,
      JSON.stringify({ back, kept }),
      actor.name,
    ])
    await record(tx, actor, 'undid', { type: 'proposal', id, title: `${back.length} moved starts` }, { back, kept })
    return { back, kept }
  })
}

/** Nights that are looked at before and since. */
const DAYS = 14

export async function listProposals(actor: Actor): Promise<ProposalRow[]> {
  requireSomewhere(actor, 'see')
  type Row = Omit<ProposalRow, 'came' | 'taken'> & {
    taken: Taken[]
    came: readonly (Outcome['before'] & { since: boolean })[]
  }
  const rows = await many<Row>(
    null,
    `SELECT p.id, p.from_at AS "from", p.hours, p.answer, p.taken, p.taken_by AS "takenBy", p.taken_at AS "takenAt", p.undone, p.undone_by AS "undoneBy",
            p.undone_at AS "undoneAt", c.came
       FROM (SELECT * FROM proposals WHERE taken IS NOT NULL ORDER BY id DESC LIMIT 30) p
       CROSS JOIN LATERAL (
         SELECT json_agg(json_build_object('since', s.since, 'deadlines', d.deadlines, 'inTime', d.in_time, 'peak', l.peak)) AS came
           FROM (VALUES (false, p.taken_at - make_interval(days => ${DAYS}), p.taken_at),
                        (true, p.taken_at, least(p.taken_at + make_interval(days => ${DAYS}), p.undone_at, now()))) AS s(since, begins, ends)
           CROSS JOIN LATERAL (
             SELECT count(*) AS deadlines, count(*) FILTER (WHERE state = 'succeeded' AND ended_at <= due_at) AS in_time FROM runs
              WHERE trigger_id IN (SELECT (t->>'id')::bigint FROM jsonb_array_elements(p.taken) t) AND due_at IS NOT NULL AND due_at < now()
                AND created_at >= s.begins AND created_at < s.ends) d
           CROSS JOIN LATERAL (
             -- Samples are of five minutes: so many slots were in use on average of the busiest.
             SELECT round((max(busy) / 300000.0)::numeric, 1)::float8 AS peak
               FROM (SELECT sum(busy_ms) AS busy FROM load_samples WHERE at >= s.begins AND at < s.ends GROUP BY at) b) l) c
      ORDER BY p.id DESC`,
  )
  const seen = await seenNames()
  return rows.flatMap(({ came, taken, ...row }): ProposalRow[] => {
    // One that moved anything that is not to be seen is not shown in parts: its figures are of all of it.
    if (seen && !row.answer.moves.every(({ trigger }) => seen.triggers.has(trigger))) return []
    const side = (since: boolean): Outcome['before'] => {
      const found = came.find((each) => each.since === since)
      return { deadlines: found?.deadlines ?? 0, inTime: found?.inTime ?? 0, peak: found?.peak ?? null }
    }
    return [{ ...row, taken: taken.map(({ trigger }) => trigger), came: { before: side(false), since: side(true) } }]
  })
}
