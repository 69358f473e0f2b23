import { z } from 'zod'
import type { HandOver, LogMatter, LogNote, ShiftLog } from '@/core/log/night'
import { mayDo } from '@/core/people/roles'
import { textSchema } from '@/core/schema/text'
import { execute, many, transaction } from '@/store/db'
import { notify } from '@/store/listen'
import { requireRight, requireSomewhere, type Actor } from '@/service/base/actor'
import { record } from '@/service/base/audit'
import { invalid, notFound } from '@/service/base/problem'
import { listChanges } from './changes'

const instant = z.iso.datetime({ offset: true })
/** A log looks at no longer stretch than this. */
const MOST_MS = 32 * 24 * 3_600_000
const stretch = { from: instant, to: instant }
export const shiftLogSchema = z.strictObject(stretch)
export const shiftNoteSchema = z.strictObject({ text: textSchema(2000).trim().min(1, 'Write what you want to say.') })
export const handOverSchema = z.strictObject({
  ...stretch,
  toName: z.string().trim().min(1, 'Say who takes over.').max(120),
  note: textSchema(2000).default(''),
})

/** So much of each is told; of matters and notes the first, of changes the latest. */
const MOST_TOLD = 500

/**
 * What a shift needs to know, and the next: matters, what came of them, changes, notes, hand-overs, from an instant on and before another. Worked out of what is kept, as whoever reads may see it.
 */
export async function shiftLog(actor: Actor, { from, to }: z.output<typeof shiftLogSchema>): Promise<ShiftLog> {
  requireSomewhere(actor, 'see')
  const [fromAt, toAt] = stretchOf(from, to)
  const before = await mattersOf('m.opened_at < $1 AND (m.closed_at IS NULL OR m.closed_at > $1)', [fromAt])
  const matters = await mattersOf('m.opened_at >= $1 AND m.opened_at < $2', [fromAt, toAt])
  const { changes, isCut } = await listChanges(actor, { from, to })
  // They are written for all who have a role here.
  const isMember = mayDo(actor.role, 'see')
  const notes = isMember
    ? await many<Omit<LogNote, 'atMs'> & { at: Date }>(
        null,
        `SELECT id, at, person_name AS by, person_id AS "byId", text FROM shift_notes WHERE at >= $1 AND at < $2 ORDER BY at LIMIT ${MOST_TOLD + 1}`,
        [fromAt, toAt],
      )
    : []
  const handedOver = isMember
    ? await many<Omit<HandOver, 'atMs'> & { at: Date }>(
        null,
        `SELECT at, person_name AS by, to_name AS to, note FROM hand_overs WHERE to_at > $1 AND to_at <= $2 ORDER BY at LIMIT 50`,
        [fromAt, toAt],
      )
    : []
  return {
    fromMs: fromAt.getTime(),
    toMs: toAt.getTime(),
    before: before.slice(0, MOST_TOLD),
    matters: matters.slice(0, MOST_TOLD),
    changes: changes.slice(0, MOST_TOLD).reverse(),
    notes: notes.slice(0, MOST_TOLD).map(({ at, ...note }) => ({ ...note, atMs: at.getTime() })),
    handedOver: handedOver.map(({ at, ...handOver }) => ({ ...handOver, atMs: at.getTime() })),
    isCut: isCut || [before, matters, changes, notes].some(({ length }) => length > MOST_TOLD),
  }
}

function stretchOf(from: string, to: string): [Date, Date] {
  const [fromAt, toAt] = [new Date(from), new Date(to)]
  if (fromAt >= toAt) throw invalid('to', 'It ends before it begins.')
  if (toAt.getTime() - fromAt.getTime() > MOST_MS) throw invalid('to', 'A log is of 32 days at most.')
  return [fromAt, toAt]
}

interface MatterRead extends Omit<LogMatter, 'openedAtMs' | 'takenAtMs' | 'closedAtMs'> {
  readonly openedAt: Date
  readonly takenAt: Date | null
  readonly closedAt: Date | null
}

/** @param which SQL of this file alone */
async function mattersOf(which: string, bind: readonly Date[]): Promise<LogMatter[]> {
  const rows = await many<MatterRead>(
    null,
    `SELECT m.id, m.kind, coalesce(nullif(m.title, ''), j.title, g.name, '') AS title, s.step_path AS "stepTitle", g.name AS agent, m.run_id AS "runId",
            m.evidence, m.times, m.opened_at AS "openedAt", m.taken_by AS "takenBy", m.taken_at AS "takenAt", m.note, m.closed_by AS "closedBy", m.closed_at AS "closedAt", m.done
       FROM matters m LEFT JOIN runs r ON r.id = m.run_id LEFT JOIN jobs j ON j.id = r.job_id AND m.kind <> 'agent-away' LEFT JOIN runs s ON s.id = m.step_run_id
       LEFT JOIN agents g ON g.id = m.agent_id
      WHERE ${which} ORDER BY m.opened_at, m.id LIMIT ${MOST_TOLD + 1}`,
    [...bind],
  )
  return rows.map(({ openedAt, takenAt, closedAt, ...matter }) => ({
    ...matter,
    openedAtMs: openedAt.getTime(),
    takenAtMs: takenAt?.getTime() ?? null,
    closedAtMs: closedAt?.getTime() ?? null,
  }))
}

/** A word to whoever reads the log of now. */
export async function addShiftNote(
  actor: Actor,
  { text }: z.output<typeof shiftNoteSchema>,
): Promise<{ readonly id: number }> {
  requireRight(actor, 'operate')
  return transaction(async (tx) => {
    const [row] = await many<{ id: number }>(
      tx,
      'INSERT INTO shift_notes (text, person_id, person_name) VALUES ($1, $2, $3) RETURNING id',
      [text, actor.id, actor.name],
    )
    await notify(tx, { matters: true })
    return row as { id: number }
  })
}

/** Takes back what one wrote oneself; of others it stays. */
export async function removeShiftNote(actor: Actor, id: number): Promise<void> {
  requireRight(actor, 'operate')
  const done = await execute(null, 'DELETE FROM shift_notes WHERE id = $1 AND person_id = $2', [id, actor.id])
  if (done === 0) throw notFound('note of yours', id)
  await notify(null, { matters: true })
}

/** Hands a stretch over to whoever comes next: who, to whom, and what they should know. */
export async function handOver(
  actor: Actor,
  { from, to, toName, note }: z.output<typeof handOverSchema>,
): Promise<{ readonly id: number }> {
  requireRight(actor, 'operate')
  const [fromAt, toAt] = stretchOf(from, to)
  return transaction(async (tx) => {
    const [row] = await many<{ id: number }>(
      tx,
      'INSERT INTO hand_overs (from_at, to_at, person_id, person_name, to_name, note) VALUES ($1, $2, $3, $4, $5, $6) RETURNING id',
      [fromAt, toAt, actor.id, actor.name, toName, note],
    )
    const { id } = row as { id: number }
    await record(tx, actor, 'handed over', { type: 'shift', id, title: `to ${toName}` }, { from, to })
    await notify(tx, { matters: true })
    return { id }
  })
}
