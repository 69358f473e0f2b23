import { isRobotTarget, PRIORITIES, type Priority, type Target } from '@/core/dispatch'
import type { Cause } from '@/core/run/lifecycle'
import { resolveInputs, type InputFault, type KnownValues } from '@/core/work/inputs'
import { isFlowDefinition, readDefinition, type WorkDefinition } from '@/core/work/flow'
import type { NewRowOf } from '@/store/columns'
import { many, type Tx } from '@/store/db'
import { limit } from '@/store/limits'
import { insertRunRows, nextRunNumbers } from '@/store/statements/runs'
import type { tables } from '@/store/tables'
import { sealInputs } from '@/service/base/secrets'

/** A job or a flow, at one version. */
export interface WorkToStart {
  readonly id: number
  readonly slug: string
  readonly isFlow: boolean
  readonly title: string
  readonly areaId: number
  readonly version: number
  readonly active: boolean
  readonly usualMs: number | null
  readonly definition: WorkDefinition
}

/** The present versions of these jobs and flows; those that were removed are missing, as are those of which what is stored cannot be read. */
export async function workToStart(tx: Tx | null, ids: readonly number[]): Promise<Map<number, WorkToStart>> {
  const rows = await many<WorkToStart>(
    tx,
    `SELECT j.id, j.slug, j.is_flow AS "isFlow", j.title, j.area_id AS "areaId", j.version, j.active, j.usual_ms AS "usualMs", v.definition
       FROM jobs j JOIN job_versions v ON v.job_id = j.id AND v.version = j.version WHERE j.id = ANY($1) AND j.deleted_at IS NULL`,
    [ids],
  )
  return new Map(
    rows.flatMap((row) => {
      const definition = readable(row)
      return definition ? [[row.id, { ...row, definition }] as const] : []
    }),
  )
}

function readable({ definition, isFlow }: WorkToStart): WorkDefinition | undefined {
  try {
    return readDefinition(definition, isFlow)
  } catch {
    return undefined
  }
}

/** Values for all inputs of the job or flow; secret ones apart. */
export interface RunInputs {
  readonly open: Readonly<Record<string, string>>
  readonly secrets: Readonly<Record<string, string>> | null
}

/**
 * Values for all inputs of a job or flow, with what is wrong with them.
 *
 * @param stillSecret inputs whose values were secret where they come from, and are kept so whatever their type is now
 */
export function inputsFor(
  definition: WorkDefinition,
  given: Readonly<Record<string, string>>,
  known: KnownValues,
  stillSecret: ReadonlySet<string> = new Set(),
): { readonly inputs: RunInputs; readonly faults: readonly InputFault[] } {
  const { values, faults } = resolveInputs(definition.inputs, given, known)
  const secretNames = new Set([
    ...definition.inputs.filter((input) => input.type === 'secret').map((input) => input.name),
    ...stillSecret,
  ])
  const entries = Object.entries(values)
  const hidden = entries.filter(([name]) => secretNames.has(name))
  return {
    inputs: {
      open: Object.fromEntries(entries.filter(([name]) => !secretNames.has(name))),
      secrets: secretNames.size > 0 ? Object.fromEntries(hidden) : null,
    },
    faults: [...faults, ...tooMuch(values)],
  }
}

/** A run's inputs travel with its lease and are kept with it: together they have a limit. */
function tooMuch(values: Readonly<Record<string, string>>): InputFault[] {
  const most = limit('input_kib') * 1024
  const size = Object.values(values).reduce((sum, value) => sum + value.length, 0)
  return size <= most
    ? []
    : [{ name: '', message: `The inputs are ${Math.ceil(size / 1024)} KiB; a run takes at most ${most / 1024} KiB.` }]
}

export interface NewRun {
  /** The number that it had in a record that was lost; else it gets the next. */
  readonly id?: number
  readonly work: WorkToStart
  readonly inputs: RunInputs
  readonly cause: Cause
  readonly starter: { readonly id: number | null; readonly name: string }
  readonly createdAtMs: number
  readonly target?: Target | null
  readonly priority?: Priority | null
  readonly againOf?: number | null
  readonly requestKey?: string | null
  /** Not before this instant. */
  readonly startAfterMs?: number | null
  readonly dueAtMs?: number | null
  /** Waits until earlier runs of its trigger have ended. */
  readonly afterEarlier?: boolean
  readonly trigger?: {
    readonly id: number
    readonly version: number
    readonly calendarVersions: Readonly<Record<string, number>>
    /** null: started by hand. */
    readonly occurrence: { readonly atMs: number; readonly day: string } | null
    readonly forAgentId: number | null
    /** What happened, where it is not the clock. */
    readonly eventId?: number | null
  }
  /** The step of a flow run that this is the run of. */
  readonly step?: {
    readonly flowRunId: number
    readonly index: number
    readonly path: string
    readonly chainMs: number | null
    readonly retry: { readonly times: number; readonly delayMs: number } | null
    readonly heldBy: string | null
  }
}

/**
 * Makes runs, ready or waiting, in one statement. A run for an occurrence that has one already is not made: returned are the ids in the order of `runs`, with null
 * in the places of those.
 */
export async function insertRuns(tx: Tx, runs: readonly NewRun[]): Promise<(number | null)[]> {
  if (runs.length === 0) return []
  const placements = runs.map(placementOf)
  const accounts = await accountsFor(tx, placements)
  const numbers = await numbersFor(tx, runs)
  const rows = runs.map((run, i) => rowOf(run, placements[i] as Placement, numbers[i] as number, accounts))
  const made = new Set(await insertRunRows(tx, rows))
  return numbers.map((number) => (made.has(number) ? number : null))
}

/** As it is written for the first time. */
function rowOf(
  run: NewRun,
  { account, ...placement }: Placement,
  id: number,
  accounts: ReadonlyMap<string, number>,
): NewRowOf<typeof tables.runs.columns> {
  const { work, trigger, step } = run
  const createdAt = new Date(run.createdAtMs)
  const isLater = (run.startAfterMs ?? 0) > run.createdAtMs
  const isWaiting = run.afterEarlier === true || isLater
  return {
    id,
    jobId: work.id,
    jobVersion: work.version,
    areaId: work.areaId,
    ...placement,
    account,
    accountId: account === null ? null : (accounts.get(account) ?? null),
    inputs: run.inputs.open,
    secrets: run.inputs.secrets && sealInputs(run.inputs.secrets, id),
    cause: run.cause,
    startedBy: run.starter.id,
    starterName: run.starter.name,
    againOf: run.againOf ?? null,
    requestKey: run.requestKey ?? null,
    state: isWaiting ? 'waiting' : 'ready',
    priority: PRIORITIES.indexOf(run.priority ?? work.definition.priority),
    startAfter: isLater ? dateOf(run.startAfterMs) : null,
    createdAt,
    readyAt: isWaiting ? null : createdAt,
    dueAt: dateOf(run.dueAtMs),
    afterEarlier: run.afterEarlier ?? false,
    triggerId: trigger?.id ?? null,
    triggerVersion: trigger?.version ?? null,
    calendarVersions: trigger?.calendarVersions ?? null,
    occurrence: dateOf(trigger?.occurrence?.atMs),
    occurrenceDay: trigger?.occurrence?.day ?? null,
    eventId: trigger?.eventId ?? null,
    forAgentId: trigger?.forAgentId ?? null,
    flowRunId: step?.flowRunId ?? null,
    step: step?.index ?? null,
    stepPath: step?.path ?? null,
    chainMs: step?.chainMs ?? null,
    heldBy: step?.heldBy ?? null,
  }
}

const dateOf = (ms: number | null | undefined): Date | null => (ms === null || ms === undefined ? null : new Date(ms))

/** The accounts that these runs need, held until the transaction is over: one that is just being removed is waited for, and is then not among them. */
async function accountsFor(
  tx: Tx,
  placements: readonly { readonly account: string | null }[],
): Promise<ReadonlyMap<string, number>> {
  const names = [...new Set(placements.flatMap(({ account }) => account ?? []))]
  if (names.length === 0) return new Map()
  const rows = await many<{ id: number; name: string }>(
    tx,
    'SELECT id, name FROM accounts WHERE name = ANY($1) ORDER BY id FOR KEY SHARE',
    [names],
  )
  return new Map(rows.map(({ id, name }) => [name, id]))
}

/** Their numbers, but for those that have one: secrets are sealed for the run that they belong to, so it must be there first. */
async function numbersFor(tx: Tx, runs: readonly NewRun[]): Promise<number[]> {
  const fresh = await nextRunNumbers(tx, runs.filter(({ id }) => id === undefined).length)
  return runs.map(({ id }) => id ?? (fresh.shift() as number))
}

interface Placement {
  readonly target: Target | null
  readonly kind: string
  readonly minVersion: string | null
  readonly slots: number
  readonly account: string | null
  readonly locks: Record<string, number>
  readonly maxAttempts: number
  readonly retryDelayMs: number
}

/** Where a run goes and how often it is tried. A flow run goes nowhere itself. */
function placementOf({ work: { definition }, target, step }: NewRun): Placement {
  if (isFlowDefinition(definition))
    return {
      target: null,
      kind: 'flow',
      minVersion: null,
      slots: 0,
      account: null,
      locks: {},
      maxAttempts: 1,
      retryDelayMs: 0,
    }
  return {
    target: target ?? definition.target,
    kind: definition.action.kind,
    minVersion: definition.minVersion,
    // A robot takes no slot of its agent.
    slots: isRobotTarget(target ?? definition.target) ? 0 : definition.slots,
    account: definition.account,
    locks: definition.locks,
    maxAttempts: 1 + (step?.retry?.times ?? definition.retries),
    retryDelayMs: step?.retry?.delayMs ?? definition.retryDelaySeconds * 1000,
  }
}
