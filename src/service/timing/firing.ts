import { within } from '@/core/budget'
import { isoDay } from '@/core/calendar/days'
import { isTimed, type Timed } from '@/core/events/kinds'
import { decideDue, DEFAULT_ALLOWANCE_MS } from '@/core/timing/firing'
import type { Occurrence } from '@/core/timing/schedule'
import { execute, many, maybeOne, transaction, type Tx } from '@/store/db'
import { isOutage } from '@/store/outage'
import { notify } from '@/store/listen'
import { STEPS } from '@/service/base/budgets'
import { allOrEach, wordsOf } from '@/service/base/each-alone'
import { LeadershipLost, lockLead } from '@/service/runs/leadership'
import { openTrouble } from '@/service/base/trouble'
import { readSetting } from '@/service/base/settings'
import { timingState } from '@/service/base/timing-cache'
import { allowanceMs, triggerDefinitionSchema, type TriggerDefinition } from '@/core/work/trigger'
import { StartPlan, type StartingTrigger } from './start-plan'

/** Triggers decided in one transaction. */
const MOST_TRIGGERS = 500
/** Occurrences of one trigger decided in one go, made up each or once for all; the rest follow at once. */
const MOST_OCCURRENCES = { each: 2000, once: 200_000 } as const
const MOST_DECIDING_MS = 2000
/** A trigger's next occurrence is looked for this far ahead, seconds: a hundred years. */
export const HORIZON_SECONDS = 100 * 365.25 * 86_400

export interface DueTrigger extends StartingTrigger {
  readonly definition: Timed<TriggerDefinition>
  readonly nextAt: Date
}

/**
 * Makes a run for each occurrence that is due, once, whatever engine asks: the triggers are locked, and the database has a unique key on trigger and occurrence.
 * Returns how many runs were made, and whether more may be due.
 */
export async function fireDue(epoch: number, nowMs: number): Promise<Fired> {
  await timingState(null)
  let ids: number[] = []
  const fire = (only: readonly number[] | null): Promise<Fired> =>
    transaction(async (tx) => {
      await lockLead(tx, epoch)
      const due = await lockDue(tx, new Date(nowMs), only)
      if (only === null) ids = due.map(({ id }) => id)
      return settle(tx, due, nowMs)
    })
  try {
    return await fire(null)
  } catch (error) {
    if (isOutage(error) || error instanceof LeadershipLost) throw error
  }
  // One that cannot be decided must not keep the others: each by itself, and that one is taken out of the way.
  if (ids.length === 0) ids = await dueIds(new Date(nowMs))
  const fired = await allOrEach(
    ids,
    async (some) => (some.length > 1 ? Promise.reject(new Error('each by itself')) : fire(some)),
    (id, error) => (error instanceof LeadershipLost ? Promise.reject(error) : standStill(epoch, id, wordsOf(error))),
  )
  return { started: fired.reduce((sum, { started }) => sum + started, 0), more: ids.length === MOST_TRIGGERS }
}

interface Fired {
  readonly started: number
  readonly more: boolean
}

async function dueIds(now: Date): Promise<number[]> {
  const rows = await many<{ id: number }>(
    null,
    `SELECT id FROM triggers WHERE enabled AND deleted_at IS NULL AND next_at <= $1 ORDER BY next_at, id LIMIT ${MOST_TRIGGERS}`,
    [now],
  )
  return rows.map(({ id }) => id)
}

/** A trigger that cannot be worked out starts nothing more until it is saved anew: what was due is noted as not started, and a person is told. */
async function standStill(epoch: number, id: number, why: string): Promise<void> {
  await transaction(async (tx) => {
    await lockLead(tx, epoch)
    const row = await maybeOne<{ title: string; version: number; nextAt: Date }>(
      tx,
      'SELECT title, version, next_at AS "nextAt" FROM triggers WHERE id = $1 AND next_at IS NOT NULL FOR UPDATE',
      [id],
    )
    if (!row) return
    const detail = `It cannot be worked out: ${why}`
    await execute(
      tx,
      `INSERT INTO not_started (trigger_id, trigger_version, first_occurrence, last_occurrence, times, why, detail) VALUES ($1, $2, $3, $3, 1, 'fault', $4)`,
      [id, row.version, row.nextAt, detail],
    )
    await execute(tx, 'UPDATE triggers SET next_at = NULL, next_day = NULL WHERE id = $1', [id])
    await openTrouble(tx, {
      subject: `trigger ${id}`,
      title: `The engine cannot work out the trigger ${row.title}; it starts nothing until it is saved anew`,
      evidence: why,
    })
    await notify(tx, { timing: true, matters: true })
  })
}

/** The next instant at which any trigger is due; null if none is. */
export async function nextDueMs(): Promise<number | null> {
  const [row] = await many<{ next: Date | null }>(
    null,
    'SELECT min(next_at) AS next FROM triggers WHERE enabled AND deleted_at IS NULL AND next_at IS NOT NULL',
  )
  return row?.next?.getTime() ?? null
}

/** Locks the triggers that are due, those of `ids` or any; ones that another transaction holds are passed over unless they are asked for. */
export async function lockDue(
  tx: Tx,
  now: Date,
  ids: readonly number[] | null,
  unreadable: 'throw' | 'skip' = 'throw',
): Promise<DueTrigger[]> {
  const rows = await many<DueTrigger>(
    tx,
    `SELECT id, title, job_id AS "jobId", version, definition, next_at AS "nextAt" FROM triggers
      WHERE enabled AND deleted_at IS NULL AND next_at <= $1 AND ($2::bigint[] IS NULL OR id = ANY($2))
      ORDER BY next_at, id LIMIT ${MOST_TRIGGERS} FOR UPDATE ${ids === null ? 'SKIP LOCKED' : ''}`,
    [now, ids],
  )
  return rows.flatMap((row) => {
    const read = triggerDefinitionSchema.safeParse(row.definition)
    if (read.success && isTimed(read.data)) return [{ ...row, definition: read.data }]
    if (unreadable === 'skip') return []
    throw new Error('what is stored of it cannot be read')
  })
}

/**
 * Decides all occurrences of these triggers up to now: what starts, what is not started and why, and what waits because starts are off. The triggers are
 * locked by the caller. `isLast`: the rule is about to change, so nothing may wait.
 */
export async function settle(
  tx: Tx,
  due: readonly DueTrigger[],
  nowMs: number,
  isLast = false,
): Promise<{ readonly started: number; readonly more: boolean }> {
  if (due.length === 0) return { started: 0, more: false }
  const [state, starts] = [await timingState(tx), await readSetting(tx, 'starts')]
  const plan = await StartPlan.of(tx, due, state, nowMs)
  const clock = new Clock(plan, starts.on, isLast)
  const began = performance.now()
  for (const trigger of due) {
    // What is decided is written before the lead could be lost; the rest follows at once.
    if (clock.next.length > 0 && performance.now() - began > MOST_DECIDING_MS) {
      clock.isCut = true
      break
    }
    within(STEPS.firing, () => clock.decide(trigger))
  }
  // While starts are off most stays as it is: nothing to write, nobody to tell.
  if (clock.next.length === 0) return { started: 0, more: false }
  const { made } = await plan.write(tx)
  await writeNext(tx, clock.next)
  await notify(tx, { timing: true, ...(made.length > 0 ? { runs: made, place: true as const } : {}) })
  return { started: made.length, more: clock.isCut || due.length === MOST_TRIGGERS }
}

/** Decides what is due of triggers by the clock. */
class Clock {
  readonly next: { id: number; at: Occurrence | null }[] = []
  /** A trigger has more that is due than is decided in one go. */
  isCut = false

  constructor(
    private readonly plan: StartPlan,
    private readonly startsOn: boolean,
    private readonly isLast: boolean,
  ) {}

  decide(trigger: DueTrigger): void {
    const schedule = this.plan.state.schedule(trigger.id, trigger.version, trigger.definition)
    const from = trigger.nextAt.getTime() / 1000
    // The instant itself is due: half a second more takes it in, whole seconds being all there are.
    const most = MOST_OCCURRENCES[trigger.definition.makeUp]
    const found = schedule.between(from, this.plan.nowMs / 1000 + 0.0005, most)
    const decision = decideDue({
      occurrences: found,
      atMs: ({ at }) => at * 1000,
      nowMs: this.plan.nowMs,
      allowanceMs: allowanceMs(trigger.definition, DEFAULT_ALLOWANCE_MS),
      makeUp: trigger.definition.makeUp,
      startsOff: !this.startsOn,
    })
    if (decision.late.length > 0) this.plan.miss(trigger, decision.late, 'late', this.sayLate(trigger))
    const before = this.plan.size
    for (const occurrence of decision.start) this.plan.start(trigger, occurrence)
    if (decision.madeUp.length > 0) this.missMadeUp(trigger, decision.madeUp, this.plan.size > before)
    const waiting = this.isLast ? [] : decision.waiting
    if (waiting.length < decision.waiting.length)
      this.plan.miss(
        trigger,
        decision.waiting,
        'starts off',
        'Starts by triggers were off, and its rule was changed meanwhile.',
      )
    const last = found.at(-1)
    if (found.length === most && this.startsOn) this.isCut = true
    const next =
      waiting[0] ??
      schedule.next(
        last && found.length === most ? last.at + 1 : this.plan.nowMs / 1000 + 0.001,
        this.plan.nowMs / 1000 + HORIZON_SECONDS,
      ) ??
      null
    if (next?.at !== from) this.next.push({ id: trigger.id, at: next })
  }

  private sayLate(trigger: DueTrigger): string {
    const minutes = Math.round(allowanceMs(trigger.definition, DEFAULT_ALLOWANCE_MS) / 60_000)
    const why = this.startsOn ? 'no engine was there in time' : 'starts by triggers were off'
    return `Later than its allowance of ${minutes} min: ${why}.`
  }

  /** What one start was to make up for: that is said only where it was made, else why it was not. */
  private missMadeUp(trigger: DueTrigger, occurrences: readonly Occurrence[], isMade: boolean): void {
    if (isMade) return this.plan.miss(trigger, occurrences, 'made up', 'Missed, and made up for by one start.')
    const last = this.plan.lastMiss(trigger.id)
    const detail = `Missed, and the start that was to make up for it was not made: ${last?.detail ?? ''}`
    this.plan.miss(trigger, occurrences, last?.why ?? 'late', detail)
  }
}

/** Stores the next occurrence of each trigger. */
async function writeNext(
  tx: Tx,
  next: readonly { readonly id: number; readonly at: Occurrence | null }[],
): Promise<void> {
  await execute(
    tx,
    `UPDATE triggers t SET next_at = u.at, next_day = u.day FROM unnest($1::bigint[], $2::timestamptz[], $3::date[]) AS u(id, at, day) WHERE t.id = u.id`,
    [next.map((n) => n.id), next.map((n) => n.at && dateOf(n.at)), next.map((n) => n.at && isoDay(n.at.day))],
  )
}

const dateOf = ({ at }: Occurrence): Date => new Date(at * 1000)
