import type { Overlap } from '@/core/bundle/schema'
import { isoDay, type Day } from '@/core/calendar/days'
import { kindOf } from '@/core/events/kinds'
import { broughtInputs, plainValues, type Brought } from '@/core/events/values'
import { parseDuration } from '@/core/timing/duration'
import { finishBy } from '@/core/timing/finish-by'
import type { TriggerDefinition } from '@/core/work/trigger'
import { execute, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { wordsOf } from '@/service/base/each-alone'
import type { TimingState } from '@/service/base/timing-cache'
import { openTrouble } from '@/service/base/trouble'
import { machinesFor, machinesOf, openRunsOf, type Machine, type OpenRun } from '@/service/fleet/targets'
import { stopForReplacement } from '@/service/runs/effects'
import { insertRuns, inputsFor, workToStart, type NewRun, type WorkToStart } from '@/service/runs/new-run'
import { daysAround } from '@/service/work/run-days'
import { byTrigger, SharedValues } from '@/service/work/shared-values'
import type { NotStartedWhy } from './not-started'

/** A trigger that is about to start something; locked by whoever decides. */
export interface StartingTrigger {
  readonly id: number
  readonly title: string
  readonly jobId: number
  readonly version: number
  readonly definition: TriggerDefinition
}

/** One start that a trigger is to make. */
export interface Start {
  /** Seconds since the epoch. */
  readonly at: number
  readonly day: Day
  /** What happened, where it is not the clock. */
  readonly event?: { readonly id: number; readonly brings: Brought }
}

interface NotStarted {
  readonly trigger: StartingTrigger
  readonly starts: readonly Start[]
  readonly why: NotStartedWhy
  readonly detail: string
}

/** What came of an event: runs, or why there is none. */
export interface Outcome {
  readonly runs: readonly number[]
  readonly why: { readonly why: NotStartedWhy; readonly detail: string } | null
}

/** How many go on at once a backlog says itself. */
const overlapOf = (definition: TriggerDefinition): Overlap =>
  kindOf(definition) === 'backlog' ? 'start' : definition.overlap

/** Collects what is to be written for all triggers of one go: one way for whatever starts them. */
export class StartPlan {
  private readonly runs: NewRun[] = []
  private readonly notStarted: NotStarted[] = []
  /** Runs to be stopped for the next of their trigger, with its title. */
  private readonly replaced = new Map<number, string>()
  /** The last run planned for each trigger and machine. */
  private readonly planned = new Map<string, { run: NewRun; start: Start }>()
  /** How many runs were planned for each. */
  private readonly plannedFor = new Map<string, number>()

  private constructor(
    readonly state: TimingState,
    readonly nowMs: number,
    private readonly jobs: ReadonlyMap<number, WorkToStart>,
    private readonly open: ReadonlyMap<number, readonly OpenRun[]>,
    private readonly machines: readonly Machine[],
    private readonly shared: SharedValues,
  ) {}

  /** Reads all that is needed to decide about these triggers. */
  static async of(
    tx: Tx,
    triggers: readonly Pick<StartingTrigger, 'id' | 'jobId' | 'definition'>[],
    state: TimingState,
    nowMs: number,
  ): Promise<StartPlan> {
    const jobs = await workToStart(tx, [...new Set(triggers.map(({ jobId }) => jobId))])
    // Where it makes no difference what goes on, there may be very many.
    const asking = triggers.filter(({ definition }) => overlapOf(definition) !== 'start').map(({ id }) => id)
    const open = asking.length > 0 ? await openRunsOf(tx, asking) : new Map<number, OpenRun[]>()
    const machines = triggers.some(({ definition }) => definition.spread === 'each') ? await machinesOf(tx) : []
    return new StartPlan(state, nowMs, jobs, open, machines, await SharedValues.read(tx))
  }

  get size(): number {
    return this.runs.length
  }

  miss(trigger: StartingTrigger, starts: readonly Start[], why: NotStartedWhy, detail: string): void {
    this.notStarted.push({ trigger, starts, why, detail })
  }

  /** Why the last start of this trigger that was not made was not. */
  lastMiss(id: number): { readonly why: NotStartedWhy; readonly detail: string } | undefined {
    return this.notStarted.findLast((row) => row.trigger.id === id)
  }

  start(trigger: StartingTrigger, start: Start): void {
    const job = this.jobs.get(trigger.jobId)
    if (!job) return this.miss(trigger, [start], 'job gone', 'Its job was removed, or cannot be read.')
    if (!job.active) return this.miss(trigger, [start], 'job off', `${job.title} is switched off.`)
    const { inputs, faults } = this.inputsOf(trigger, job, start)
    if (faults.length > 0) return this.miss(trigger, [start], 'inputs', faults.map((fault) => fault.message).join(' '))
    if (trigger.definition.spread === 'one') return this.startOne(trigger, start, job, inputs, null)
    const machines = machinesFor(this.machines, job.definition)
    if (machines.length === 0)
      return this.miss(trigger, [start], 'no machine', 'No machine of its target is there and switched on.')
    for (const machine of machines) this.startOne(trigger, start, job, inputs, machine)
  }

  /** A secret that cannot be opened is the fault of one input, not of everything that is due. */
  private inputsOf(
    { title, definition }: StartingTrigger,
    job: WorkToStart,
    { day, event }: Start,
  ): ReturnType<typeof inputsFor> {
    try {
      const known = this.shared.known(byTrigger(title), daysAround(this.state, isoDay(day)))
      // What the clock starts takes its values as they are written.
      const brought = event
        ? broughtInputs(
            definition.with,
            event.brings,
            job.definition.inputs.map(({ name }) => name),
          )
        : { given: plainValues(definition.with), faults: [] }
      const { inputs, faults } = inputsFor(job.definition, brought.given, known)
      return { inputs, faults: [...brought.faults, ...faults] }
    } catch (error) {
      return { inputs: { open: {}, secrets: null }, faults: [{ name: '', message: wordsOf(error) }] }
    }
  }

  private startOne(
    trigger: StartingTrigger,
    start: Start,
    job: WorkToStart,
    inputs: NewRun['inputs'],
    machine: Machine | null,
  ): void {
    const forAgentId = machine?.id ?? null
    const key = `${trigger.id} ${forAgentId}`
    const before = (this.open.get(trigger.id) ?? []).filter((run) => run.forAgentId === forAgentId)
    const isOverlap = before.length > 0 || this.planned.has(key)
    const { waitMost } = trigger.definition
    const overlap = overlapOf(trigger.definition)
    // All but the first of those that are open wait for the one before.
    const waiting = before.length + (this.plannedFor.get(key) ?? 0) - 1
    if (overlap === 'wait' && waitMost !== undefined && waiting >= waitMost) {
      const first = before[0] ? `#${before[0].id}` : 'The one before it'
      const others = waiting === 1 ? 'one was' : `${waiting} were`
      return this.miss(trigger, [start], 'overlap', `${first} had not ended, and ${others} waiting for it already.`)
    }
    if (isOverlap && overlap === 'skip') {
      const number = before.at(-1)?.id
      const detail = number === undefined ? 'The one before it had not ended.' : `#${number} had not ended.`
      return this.miss(trigger, [start], 'overlap', detail)
    }
    if (overlap === 'replace') {
      for (const run of before) this.replaced.set(run.id, trigger.title)
      const planned = this.planned.get(key)
      if (planned) {
        this.runs.splice(this.runs.indexOf(planned.run), 1)
        this.miss(trigger, [planned.start], 'overlap', 'Replaced by the next before it began.')
      }
    }
    const atMs = start.at * 1000
    const run: NewRun = {
      work: job,
      inputs,
      cause: 'trigger',
      starter: { id: null, name: trigger.title },
      createdAtMs: this.nowMs,
      target: machine ? { agent: machine.name } : null,
      priority: trigger.definition.priority ?? null,
      dueAtMs: finishBy(trigger.definition, atMs),
      afterEarlier: isOverlap && overlap !== 'start',
      trigger: {
        id: trigger.id,
        version: trigger.version,
        calendarVersions: this.state.calendarsOf([trigger.definition.on, trigger.definition.notOn]),
        occurrence: { atMs, day: isoDay(start.day) },
        forAgentId,
        eventId: start.event?.id ?? null,
      },
    }
    this.runs.push(run)
    this.planned.set(key, { run, start })
    this.plannedFor.set(key, (this.plannedFor.get(key) ?? 0) + 1)
  }

  /** Writes runs, what was not started, and what is stopped for the next. Returns the runs that were made, and what came of each event. */
  async write(tx: Tx): Promise<{ readonly made: number[]; readonly byEvent: ReadonlyMap<number, Outcome> }> {
    await stopForReplacement(tx, this.replaced, this.nowMs)
    const ids = await insertRuns(tx, this.runs)
    const isState = ({ trigger }: NotStarted): boolean => kindOf(trigger.definition) === 'backlog'
    await writeNotStarted(
      tx,
      this.notStarted.filter((row) => !isState(row)),
      ids,
      this.runs,
    )
    for (const row of this.notStarted.filter(isState))
      await missInStretch(tx, row.trigger, row.starts[0] as Start, row.why, row.detail, this.nowMs, true)
    const byEvent = new Map<number, { runs: number[]; why: Outcome['why'] }>()
    const of = (event: number): { runs: number[]; why: Outcome['why'] } => {
      const known = byEvent.get(event) ?? { runs: [], why: null }
      byEvent.set(event, known)
      return known
    }
    for (const { starts, why, detail } of this.notStarted)
      for (const { event } of starts) if (event) of(event.id).why = { why, detail }
    for (const [i, run] of this.runs.entries()) {
      const [event, id] = [run.trigger?.eventId ?? null, ids[i] ?? null]
      if (event !== null && id !== null) of(event).runs.push(id)
    }
    return { made: ids.filter((id): id is number => id !== null), byEvent }
  }
}

/**
 * Another start that is not made for the same reason counts to the one before. Beyond a rate a person is told, once for each stretch.
 *
 * @param isState what was looked at goes on, and is looked at again and again: it is counted once
 */
export async function missInStretch(
  tx: Tx,
  trigger: StartingTrigger,
  { at }: Pick<Start, 'at'>,
  why: NotStartedWhy,
  detail: string,
  nowMs: number,
  isState = false,
): Promise<void> {
  const stretch = Math.max(3600, parseDuration(trigger.definition.atMost?.in ?? 'PT1H') ?? 0)
  const bind = [trigger.id, why, detail, new Date(at * 1000)]
  const counted = await execute(
    tx,
    `UPDATE not_started n SET times = n.times + $6::int, last_occurrence = greatest(n.last_occurrence, $4)
      WHERE n.id = (SELECT id FROM not_started WHERE trigger_id = $1 ORDER BY id DESC LIMIT 1) AND n.why = $2 AND n.detail = $3 AND n.last_occurrence > $5`,
    [...bind, new Date(nowMs - stretch * 1000), isState ? 0 : 1],
  )
  if (counted > 0) return
  await execute(
    tx,
    `INSERT INTO not_started (trigger_id, trigger_version, first_occurrence, last_occurrence, times, why, detail) VALUES ($1, $5, $4, $4, 1, $2, $3)`,
    [...bind, trigger.version],
  )
  if (why !== 'rate') return
  await openTrouble(tx, {
    subject: `trigger ${trigger.id} rate`,
    title: `${trigger.title} was to start more often than it may`,
    evidence: detail,
  })
  await notify(tx, { matters: true })
}

async function writeNotStarted(
  tx: Tx,
  rows: readonly NotStarted[],
  ids: readonly (number | null)[],
  runs: readonly NewRun[],
): Promise<void> {
  if (rows.length === 0) return
  const runOf = (row: NotStarted): number | null => {
    if (row.why !== 'made up') return null
    const place = runs.findLastIndex((run) => run.trigger?.id === row.trigger.id)
    return ids[place] ?? null
  }
  await execute(
    tx,
    `INSERT INTO not_started (trigger_id, trigger_version, first_occurrence, last_occurrence, times, why, detail, run_id)
     SELECT * FROM unnest($1::bigint[], $2::int[], $3::timestamptz[], $4::timestamptz[], $5::int[], $6::text[], $7::text[], $8::bigint[])`,
    [
      rows.map((row) => row.trigger.id),
      rows.map((row) => row.trigger.version),
      rows.map((row) => dateOf(row.starts[0] as Start)),
      rows.map((row) => dateOf(row.starts.at(-1) as Start)),
      rows.map((row) => row.starts.length),
      rows.map((row) => row.why),
      rows.map((row) => row.detail),
      rows.map(runOf),
    ],
  )
}

const dateOf = ({ at }: Start): Date => new Date(at * 1000)
