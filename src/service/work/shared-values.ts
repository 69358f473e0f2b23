import { z } from 'zod'
import { titlesFor } from '@/service/base/area-rights'
import { titleSchema } from '@/core/schema/text'
import { someOf } from '@/core/phrase/some-of'
import { isDayDefault, sharedNameOf, valueFault, type Input, type KnownValues } from '@/core/work/inputs'
import { slugSchema } from '@/core/work/job'
import { db, execute, many, maybeOne, sqlState, transaction, UNIQUE_VIOLATION, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { seal, unseal } from '@/store/seal'
import { type DayOf } from './run-days'
import { requireRight, type Actor } from '@/service/base/actor'
import { difference, record } from '@/service/base/audit'
import { invalid, notFound, Problem, type FieldFault } from '@/service/base/problem'

const title = titleSchema('A shared value needs a title.', 80)
const value = z
  .string()
  .max(10_000, 'At most 10,000 characters.')
  .refine((text) => !text.includes('\0'), 'It contains a NUL character.')

export const sharedValueSchema = z
  .strictObject({ name: slugSchema, title, isSecret: z.boolean().default(false), value })
  .refine((request) => !request.isSecret || request.value !== '', { path: ['value'], message: 'Write the secret.' })
export const sharedValueChangeSchema = z.strictObject({
  title,
  /** A new one; missing: the old one stays. */
  value: value.optional(),
})

export interface SharedValueRow {
  readonly id: number
  readonly name: string
  readonly title: string
  readonly isSecret: boolean
  /** null: a secret, which is never told. */
  readonly value: string | null
  readonly changedBy: string
  readonly changedAt: string
  /** Jobs and flows that take it. */
  readonly uses: readonly { readonly id: number; readonly title: string; readonly isFlow: boolean }[]
}

const TAKES = (name: string): string =>
  `v.definition->'inputs' @> jsonb_build_array(jsonb_build_object('default', jsonb_build_object('shared', ${name})))`
const WORK = 'jobs j JOIN job_versions v ON v.job_id = j.id AND v.version = j.version'

const ROWS = `
  SELECT s.id, s.name, s.title, s.is_secret AS "isSecret", s.value, s.changed_by AS "changedBy", s.changed_at AS "changedAt",
         coalesce((SELECT jsonb_agg(jsonb_build_object('id', j.id, 'title', j.title, 'isFlow', j.is_flow) ORDER BY lower(j.title))
                     FROM ${WORK} WHERE j.deleted_at IS NULL AND ${TAKES('s.name')}), '[]') AS uses
    FROM shared_values s`

/** What jobs and flows take by name where nothing else is given. */
export async function listSharedValues(actor: Actor): Promise<SharedValueRow[]> {
  requireRight(actor, 'see')
  return many<SharedValueRow>(null, `${ROWS} ORDER BY s.name`)
}

export async function addSharedValue(
  actor: Actor,
  request: z.output<typeof sharedValueSchema>,
): Promise<{ id: number }> {
  requireRight(actor, request.isSecret ? 'administer' : 'design')
  try {
    return await transaction((tx) => addSharedValueIn(tx, actor, request))
  } catch (error) {
    if (sqlState(error) === UNIQUE_VIOLATION)
      throw invalid('name', `There is a shared value called ${request.name} already.`)
    throw error
  }
}

export async function addSharedValueIn(
  tx: Tx,
  actor: Actor,
  request: z.output<typeof sharedValueSchema>,
): Promise<{ id: number }> {
  const { name, title, isSecret } = request
  const { id } = await db().sharedValues.create(
    { name, title, isSecret, value: isSecret ? null : request.value, changedBy: actor.name },
    { transaction: tx },
  )
  if (request.isSecret) await keep(tx, id, request.value)
  const { value: _, ...told } = request
  await record(
    tx,
    actor,
    'added',
    { type: 'shared value', id, title: request.title },
    request.isSecret ? told : request,
  )
  await notify(tx, { jobs: true })
  return { id }
}

/** A new value counts for runs that are made from now on. Refused if it does not fit what takes it. */
export async function changeSharedValue(
  actor: Actor,
  id: number,
  request: z.output<typeof sharedValueChangeSchema>,
): Promise<void> {
  requireRight(actor, 'design')
  await transaction(async (tx) => {
    const before = await lock(tx, id)
    if (before.isSecret) requireRight(actor, 'administer')
    if (request.value !== undefined) {
      if (before.isSecret) {
        if (request.value === '') throw invalid('value', 'Write the secret.')
        await keep(tx, id, request.value)
      } else {
        await refuseUnfit(tx, actor, before, request.value)
        await execute(tx, 'UPDATE shared_values SET value = $2 WHERE id = $1', [id, request.value])
      }
    }
    await execute(tx, 'UPDATE shared_values SET title = $2, changed_by = $3, changed_at = now() WHERE id = $1', [
      id,
      request.title,
      actor.name,
    ])
    const rotated = before.isSecret && request.value !== undefined
    const { value: _, ...told } = request
    await record(
      tx,
      actor,
      rotated ? 'rotated' : 'changed',
      { type: 'shared value', id, title: request.title },
      difference(before, before.isSecret ? told : request),
    )
    await notify(tx, { jobs: true })
  })
}

export async function removeSharedValue(actor: Actor, id: number): Promise<void> {
  requireRight(actor, 'design')
  await transaction(async (tx) => {
    const row = await lock(tx, id)
    if (row.isSecret) requireRight(actor, 'administer')
    if (row.uses.length > 0)
      throw new Problem(
        'not-now',
        `${someOf(await titlesFor(tx, actor, 'job', row.uses))} ${row.uses.length === 1 ? 'takes' : 'take'} it. Change that first.`,
      )
    await execute(tx, 'DELETE FROM shared_values WHERE id = $1', [id])
    await record(tx, actor, 'removed', { type: 'shared value', id, title: row.title })
    await notify(tx, { jobs: true })
  })
}

async function lock(tx: Tx, id: number): Promise<SharedValueRow> {
  await many(tx, 'SELECT 1 FROM shared_values WHERE id = $1 FOR UPDATE', [id])
  const row = await maybeOne<SharedValueRow>(tx, `${ROWS} WHERE s.id = $1`, [id])
  if (!row) throw notFound('shared value', id)
  return row
}

const keep = (tx: Tx, id: number, plain: string): Promise<number> =>
  execute(tx, 'UPDATE shared_values SET secret = $2 WHERE id = $1', [id, seal(plain, `shared value ${id}`)])

/** What takes it tonight must not fail for a value that does not fit. */
async function refuseUnfit(tx: Tx, actor: Actor, { name }: SharedValueRow, fresh: string): Promise<void> {
  const rows = await many<{ id: number; title: string; inputs: Input[] }>(
    tx,
    `SELECT j.id, j.title, v.definition->'inputs' AS inputs FROM ${WORK} WHERE j.deleted_at IS NULL AND ${TAKES('$1::text')}`,
    [name],
  )
  for (const { id, title, inputs } of rows)
    for (const input of inputs) {
      if (sharedNameOf(input) !== name) continue
      const fault = fresh === '' && input.type !== 'text' ? 'is empty' : valueFault(input, fresh)
      if (!fault) continue
      const [work = ''] = await titlesFor(tx, actor, 'job', [{ id, title }])
      const what = work === title ? `${work} takes it for ${input.title || input.name}` : `${work} takes it`
      throw invalid('value', `${what}, and “${fresh}” ${fault}.`)
    }
}

/** Who starts a run. `email`: null where no person does. */
export interface Starter {
  readonly name: string
  readonly email: string | null
}

/** A trigger starts in its own name; nobody's address is known then. */
export const byTrigger = (title = 'the trigger’s title'): Starter => ({ name: title, email: null })

/** All shared values at one moment. Secrets are opened only when something takes them. */
export class SharedValues {
  private constructor(private readonly rows: ReadonlyMap<string, StoredValue>) {}

  static async read(tx: Tx | null): Promise<SharedValues> {
    const rows = await many<StoredValue & { name: string }>(tx, 'SELECT id, name, value, secret FROM shared_values')
    return new SharedValues(new Map(rows.map(({ name, ...row }) => [name, row])))
  }

  /** A secret goes to inputs that are secrets alone, and to these nothing else. */
  get(name: string, type: Input['type']): string | undefined {
    const row = this.rows.get(name)
    if (type !== 'secret') return row?.value ?? undefined
    return row?.secret ? unseal(row.secret, `shared value ${row.id}`) : undefined
  }

  /** What defaults are in a run that this one starts, on the day that `dayBy` goes by. */
  known(starter: Starter, dayOf: DayOf): KnownValues {
    return (source, type) => {
      if (isDayDefault(source)) return dayOf(source)
      if ('shared' in source) return this.get(source.shared, type)
      return starter[source.starter === 'email' ? 'email' : 'name'] || undefined
    }
  }

  /** Inputs whose default names what is not there, or does not fit them. */
  faultsOf(inputs: readonly Input[]): FieldFault[] {
    return inputs.flatMap((input, i) => {
      const name = sharedNameOf(input)
      if (name === null) return []
      const message = this.faultOf(name, input)
      return message === null ? [] : [{ path: `definition.inputs[${i}].default`, message }]
    })
  }

  private faultOf(name: string, input: Input): string | null {
    const row = this.rows.get(name)
    if (!row) return `There is no shared value ${name}.`
    if (input.type === 'secret') return row.secret ? null : `The shared value ${name} is no secret.`
    if (row.value === null) return `The shared value ${name} is a secret: only an input that is a secret takes it.`
    const fault = valueFault(input, row.value)
    return fault && `The shared value ${name} ${fault}.`
  }

  /** Those that are not secret, by name: for looking ahead in a browser. */
  get open(): Record<string, string> {
    return Object.fromEntries(
      [...this.rows].flatMap(([name, { value: open }]) => (open === null ? [] : [[name, open]])),
    )
  }
}

interface StoredValue {
  readonly id: number
  readonly value: string | null
  readonly secret: Buffer | null
}
