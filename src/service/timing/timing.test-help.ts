import { randomUUID } from 'node:crypto'
import type { DayRule } from '@/core/calendar/rule'
import { ADMIN } from '@/store/database.test-help'
import { execute, many, one } from '@/store/db'
import { addCalendar } from './calendars'
import { fireDue } from './firing'
import { makeJob } from '@/service/fixtures.test-help'
import { triggerDefinitionSchema } from '@/core/work/trigger'
import { addTrigger } from './triggers'

export const at = (text: string): number => Date.parse(text)

export function makeCalendar(slug: string, rule: DayRule): Promise<{ id: number; slug: string }> {
  return addCalendar(ADMIN, { slug, title: slug, notes: '', rule })
}

export interface TriggerRequest {
  readonly jobId?: number
  readonly enabled?: boolean
  /** The first occurrence not decided yet, as if Bugle had run until then. */
  readonly next?: string
  readonly [key: string]: unknown
}

/** A trigger at 17:00 in London where nothing else is said. */
export async function makeTrigger(
  { jobId, enabled = true, next, ...definition }: TriggerRequest = {},
  title: string = randomUUID(),
): Promise<number> {
  const { id } = await addTrigger(ADMIN, {
    title,
    notes: '',
    jobId: jobId ?? (await makeJob()),
    enabled,
    definition: triggerDefinitionSchema.parse({ time: { at: ['17:00'] }, zone: 'Europe/London', ...definition }),
    sure: true,
  })
  if (next !== undefined) await execute(null, 'UPDATE triggers SET next_at = $2 WHERE id = $1', [id, next])
  return id
}

/** What the leading engine does at this instant. Everything else is put off, so that only what a test is about is due. */
export async function fire(now: string | number, ...only: number[]): Promise<number> {
  const { epoch } = await one<{ epoch: number }>(null, 'SELECT epoch FROM leadership')
  const nowMs = typeof now === 'number' ? now : at(now)
  if (only.length > 0) await execute(null, `UPDATE triggers SET next_at = NULL WHERE NOT id = ANY($1)`, [only])
  let started = 0
  for (;;) {
    const done = await fireDue(epoch, nowMs)
    started += done.started
    if (!done.more) return started
  }
}

export interface FiredRun {
  readonly id: number
  readonly occurrence: string
  readonly day: string
  readonly state: string
}

export async function runsOf(triggerId: number): Promise<FiredRun[]> {
  const rows = await many<{ id: number; occurrence: Date; day: string; state: string }>(
    null,
    `SELECT id, occurrence, occurrence_day::text AS day, state FROM runs WHERE trigger_id = $1 ORDER BY occurrence, id`,
    [triggerId],
  )
  return rows.map((row) => ({ ...row, occurrence: row.occurrence?.toISOString() }))
}

export const occurrencesOf = async (triggerId: number): Promise<string[]> =>
  (await runsOf(triggerId)).map((run) => run.occurrence.slice(0, 16))

export async function missedOf(
  triggerId: number,
): Promise<{ why: string; times: number; detail: string; runId: number | null }[]> {
  return many(
    null,
    `SELECT why, times, detail, run_id AS "runId" FROM not_started WHERE trigger_id = $1 ORDER BY first_occurrence`,
    [triggerId],
  )
}

export async function nextOf(triggerId: number): Promise<string | null> {
  const [row] = await many<{ next: Date | null }>(null, 'SELECT next_at AS next FROM triggers WHERE id = $1', [
    triggerId,
  ])
  return row?.next?.toISOString().slice(0, 16) ?? null
}
