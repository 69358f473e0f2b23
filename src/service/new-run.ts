import { PRIORITIES, type Priority, type Target } from '@/core/dispatch'
import { resolveInputs, type InputFault, type KnownValues } from '@/core/work/inputs'
import { isFlowDefinition, readDefinition, type WorkDefinition } from '@/core/work/flow'
import { many, type Tx } from '@/store/db'
import { limit } from '@/store/limits'
import { sealInputs } from './secrets'

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
  readonly work: WorkToStart
  readonly inputs: RunInputs
  readonly cause: 'person' | 'token' | 'again' | 'trigger' | 'flow'
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
  }
  /** The step of a flow run that this is the run of. */
  readonly step?: {
    readonly flowRunId: number
    readonly index: number
    readonly path: string
    readonly chainMs: number
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
  const date = (ms: number | null | undefined): Date | null => (ms === null || ms === undefined ? null : new Date(ms))
  const placements = runs.map(placementOf)
  const numbers = await numbersFor(tx, runs)
  const accounts = await accountsFor(tx, placements)
  const waits = runs.map((run) => run.afterEarlier === true || (run.startAfterMs ?? 0) > run.createdAtMs)
  const rows = await many<{ place: number; id: number }>(
    tx,
    `WITH given AS (
       SELECT u.*, c.id AS account_id, coalesce(u.number, nextval('runs_id_seq')) AS id
         FROM unnest($1::int[], $2::bigint[], $3::int[], $4::bigint[], $5::jsonb[], $6::text[], $7::text[], $8::jsonb[], $9::bytea[], $10::text[], $11::bigint[],
                     $12::text[], $13::bigint[], $14::text[], $15::text[], $16::int[], $17::int[], $18::int[], $19::bigint[], $20::timestamptz[],
                     $21::timestamptz[], $22::timestamptz[], $23::bool[], $24::bigint[], $25::int[], $26::jsonb[], $27::timestamptz[], $28::date[], $29::bigint[],
                     $30::bigint[], $31::int[], $32::text[], $33::bigint[], $34::text[], $35::text[], $36::jsonb[], $37::bigint[])
              AS u(place, job, version, area, target, kind, min_version, inputs, secrets, cause, started_by, starter_name, again_of, request_key, state,
                   priority, slots, max_attempts, retry_delay_ms, start_after, created_at, due_at, after_earlier, trigger_id, trigger_version,
                   calendar_versions, occurrence, occurrence_day, for_agent, flow_run, step, step_path, chain_ms, held_by, account, locks, number)
              LEFT JOIN unnest($38::text[], $39::bigint[]) AS c(name, id) ON c.name = u.account
        ORDER BY place),
     made AS (
       INSERT INTO runs (id, job_id, job_version, area_id, target, kind, min_version, inputs, secrets, cause, started_by, starter_name, again_of, request_key,
                         state, priority, slots, max_attempts, retry_delay_ms, start_after, created_at, ready_at, due_at, after_earlier, trigger_id,
                         trigger_version, calendar_versions, occurrence, occurrence_day, for_agent_id, flow_run_id, step, step_path, chain_ms, held_by, account, locks, account_id)
       SELECT id, job, version, area, target, kind, min_version, inputs, secrets, cause, started_by, starter_name, again_of, request_key, state, priority, slots,
              max_attempts, retry_delay_ms, start_after, created_at, CASE WHEN state = 'ready' THEN created_at END, due_at, after_earlier, trigger_id,
              trigger_version, calendar_versions, occurrence, occurrence_day, for_agent, flow_run, step, step_path, chain_ms, held_by, account, locks, account_id
         FROM given ORDER BY place
       ON CONFLICT (trigger_id, occurrence, coalesce(for_agent_id, 0)) WHERE occurrence IS NOT NULL DO NOTHING
       RETURNING id)
     SELECT g.place, g.id FROM given g JOIN made m ON m.id = g.id`,
    [
      runs.map((_, i) => i),
      runs.map((r) => r.work.id),
      runs.map((r) => r.work.version),
      runs.map((r) => r.work.areaId),
      placements.map(({ target }) => (target === null ? null : JSON.stringify(target))),
      placements.map(({ kind }) => kind),
      placements.map(({ minVersion }) => minVersion),
      runs.map((r) => JSON.stringify(r.inputs.open)),
      runs.map((r, i) => (r.inputs.secrets ? sealInputs(r.inputs.secrets, numbers?.[i] as number) : null)),
      runs.map((r) => r.cause),
      runs.map((r) => r.starter.id),
      runs.map((r) => r.starter.name),
      runs.map((r) => r.againOf ?? null),
      runs.map((r) => r.requestKey ?? null),
      waits.map((wait) => (wait ? 'waiting' : 'ready')),
      runs.map((r) => PRIORITIES.indexOf(r.priority ?? r.work.definition.priority)),
      placements.map(({ slots }) => slots),
      placements.map(({ retries }) => retries + 1),
      placements.map(({ retryDelayMs }) => retryDelayMs),
      runs.map((r) => ((r.startAfterMs ?? 0) > r.createdAtMs ? date(r.startAfterMs) : null)),
      runs.map((r) => date(r.createdAtMs)),
      runs.map((r) => date(r.dueAtMs)),
      runs.map((r) => r.afterEarlier ?? false),
      runs.map((r) => r.trigger?.id ?? null),
      runs.map((r) => r.trigger?.version ?? null),
      runs.map((r) => (r.trigger ? JSON.stringify(r.trigger.calendarVersions) : null)),
      runs.map((r) => date(r.trigger?.occurrence?.atMs)),
      runs.map((r) => r.trigger?.occurrence?.day ?? null),
      runs.map((r) => r.trigger?.forAgentId ?? null),
      runs.map((r) => r.step?.flowRunId ?? null),
      runs.map((r) => r.step?.index ?? null),
      runs.map((r) => r.step?.path ?? null),
      runs.map((r) => r.step?.chainMs ?? null),
      runs.map((r) => r.step?.heldBy ?? null),
      placements.map(({ account }) => account),
      placements.map(({ locks }) => JSON.stringify(locks)),
      numbers ?? runs.map(() => null),
      accounts.map(({ name }) => name),
      accounts.map(({ id }) => id),
    ],
  )
  const ids: (number | null)[] = runs.map(() => null)
  for (const { place, id } of rows) ids[place] = id
  return ids
}

/** The accounts that these runs need, held until the transaction is over: one that is just being removed is waited for, and is then not among them. */
async function accountsFor(
  tx: Tx,
  placements: readonly { readonly account: string | null }[],
): Promise<{ id: number; name: string }[]> {
  const names = [...new Set(placements.flatMap(({ account }) => account ?? []))]
  if (names.length === 0) return []
  return many(tx, 'SELECT id, name FROM accounts WHERE name = ANY($1) ORDER BY id FOR KEY SHARE', [names])
}

/** Secrets are sealed for the run that they belong to, so its number must be there first; null: none of these runs has any. */
async function numbersFor(tx: Tx, runs: readonly NewRun[]): Promise<number[] | null> {
  if (!runs.some((run) => run.inputs.secrets && Object.keys(run.inputs.secrets).length > 0)) return null
  const rows = await many<{ id: number }>(tx, `SELECT nextval('runs_id_seq') AS id FROM generate_series(1, $1)`, [
    runs.length,
  ])
  return rows.map(({ id }) => id)
}

/** Where a run goes and how often it is tried. A flow run goes nowhere itself. */
function placementOf({ work: { definition }, target, step }: NewRun): {
  target: Target | null
  kind: string
  minVersion: string | null
  slots: number
  account: string | null
  locks: Readonly<Record<string, number>>
  retries: number
  retryDelayMs: number
} {
  if (isFlowDefinition(definition))
    return {
      target: null,
      kind: 'flow',
      minVersion: null,
      slots: 0,
      account: null,
      locks: {},
      retries: 0,
      retryDelayMs: 0,
    }
  return {
    target: target ?? definition.target,
    kind: definition.action.kind,
    minVersion: definition.minVersion,
    slots: definition.slots,
    account: definition.account,
    locks: definition.locks,
    retries: step?.retry?.times ?? definition.retries,
    retryDelayMs: step?.retry?.delayMs ?? definition.retryDelaySeconds * 1000,
  }
}
