import { createHash } from 'node:crypto'
import type { Value } from '@/core/flow/inputs'
import { planOf, type Flow, type Plan } from '@/core/flow/plan'
import { bundleFlow, flowDefinitionSchema, withKnown } from '@/core/work/flow'
import type { KnownValues } from '@/core/work/inputs'
import { many, type Tx } from '@/store/db'
import { PerOrganisation } from '@/store/organisation'
import type { SharedValues } from '@/service/work/shared-values'

/** A flow with all flows in it, as it was when a run of it began. */
export interface StoredPlan {
  readonly flow: string
  readonly flows: readonly Flow[]
  readonly jobs: readonly { readonly id: string; readonly jobId: number }[]
  /** Titles of the flows, by their names. */
  readonly titles: Readonly<Record<string, string>>
}

/** What these flows are now, with all flows in them. */
export async function presentPlans(tx: Tx | null, flowIds: readonly number[]): Promise<Map<number, StoredPlan>> {
  const known = new Map<string, { title: string; flow: Flow; active: boolean }>()
  const read = async (where: string, values: readonly unknown[]): Promise<string[]> => {
    const rows = await many<{ id: number; slug: string; title: string; active: boolean; definition: unknown }>(
      tx,
      `SELECT j.id, j.slug, j.title, j.active, v.definition FROM jobs j JOIN job_versions v ON v.job_id = j.id AND v.version = j.version
        WHERE j.is_flow AND j.deleted_at IS NULL AND ${where}`,
      [values],
    )
    for (const { id, slug, title, active, definition } of rows) {
      const read = flowDefinitionSchema.safeParse(definition)
      if (!read.success) continue
      known.set(slug, { title, active, flow: bundleFlow(slug, read.data) })
      if (flowIds.includes(id)) roots.set(id, slug)
    }
    return rows.map((row) => row.slug).filter((slug) => known.has(slug))
  }
  const roots = new Map<number, string>()
  for (let fresh = await read('j.id = ANY($1)', flowIds); fresh.length > 0;) {
    const inner = fresh.flatMap((slug) => (known.get(slug)?.flow.steps ?? []).flatMap(({ flow }) => flow ?? []))
    fresh = await read(
      'j.slug = ANY($1)',
      [...new Set(inner)].filter((slug) => !known.has(slug)),
    )
  }
  const slugs = new Set([...known.values()].flatMap(({ flow }) => flow.steps.flatMap(({ job }) => job ?? [])))
  const jobs = await many<{ id: string; jobId: number }>(
    tx,
    'SELECT slug AS id, id AS "jobId" FROM jobs WHERE NOT is_flow AND deleted_at IS NULL AND slug = ANY($1) ORDER BY slug',
    [[...slugs]],
  )
  return new Map(
    [...roots].map(([id, root]) => {
      const used = new Set<string>()
      const visit = (slug: string): void => {
        if (used.has(slug)) return
        used.add(slug)
        for (const { flow } of known.get(slug)?.flow.steps ?? []) if (flow !== undefined) visit(flow)
      }
      visit(root)
      const flows = [...used].sort().flatMap((slug) => known.get(slug) ?? [])
      const named = new Set(flows.flatMap(({ flow }) => flow.steps.flatMap(({ job }) => job ?? [])))
      return [
        id,
        {
          flow: root,
          flows: flows.map(({ flow }) => flow),
          jobs: jobs.filter((job) => named.has(job.id)),
          titles: Object.fromEntries(flows.map(({ flow, title }) => [flow.id, title])),
        },
      ]
    }),
  )
}

/** The plan with the defaults of its flows as they are for this run. */
export function asKnown(plan: StoredPlan, known: KnownValues): StoredPlan {
  const isPlain = plan.flows.every(({ inputs = [] }) => inputs.every(({ default: value }) => typeof value !== 'object'))
  return isPlain ? plan : { ...plan, flows: plan.flows.map((flow) => withKnown(flow, known)) }
}

/** What `run.secrets` calls a shared secret that a flow in the flow takes: no input is called that. */
const SHARED = 'shared:'

/** Shared secrets that flows in this flow take by default, as they are now. */
export function secretsWithin(plan: StoredPlan | undefined, shared: SharedValues): Record<string, string> {
  const named = (plan?.flows ?? []).flatMap(({ id, inputs = [] }) =>
    id === plan?.flow
      ? []
      : inputs.flatMap(({ type, default: value }) =>
          type === 'secret' && typeof value === 'object' && 'shared' in value ? [value.shared] : [],
        ),
  )
  return Object.fromEntries(
    [...new Set(named)].flatMap((name) => {
      const secret = shared.get(name, 'secret')
      return secret === undefined ? [] : [[SHARED + name, secret]]
    }),
  )
}

/** A run's secrets: those of its own inputs, and those that flows in it take. */
export function partSecrets(all: Readonly<Record<string, string>>): {
  readonly own: Record<string, string>
  readonly within: Record<string, string>
} {
  const isWithin = ([name]: [string, string]): boolean => name.startsWith(SHARED)
  const entries = Object.entries(all)
  return {
    own: Object.fromEntries(entries.filter((entry) => !isWithin(entry))),
    within: Object.fromEntries(entries.filter(isWithin)),
  }
}

/** Keeps these plans; one that is there already is found again. Ids by the keys they were given under. */
export async function keepPlans(tx: Tx, plans: ReadonlyMap<number, StoredPlan>): Promise<Map<number, number>> {
  // Many runs that begin together have the very same plan.
  const texts = new Map<StoredPlan, { readonly text: string; readonly hash: string }>()
  const textOf = (plan: StoredPlan): { readonly text: string; readonly hash: string } => {
    const text = JSON.stringify(plan)
    return remember(texts, plan, { text, hash: createHash('sha256').update(text).digest('hex') })
  }
  const kept = [...plans].map(([id, plan]) => ({ id, ...(texts.get(plan) ?? textOf(plan)) }))
  await many(
    tx,
    'INSERT INTO flow_plans (hash, bundle) SELECT DISTINCT ON (u.hash) u.hash, u.bundle FROM unnest($1::text[], $2::jsonb[]) AS u(hash, bundle) ON CONFLICT (hash) DO NOTHING',
    [kept.map((each) => each.hash), kept.map((each) => each.text)],
  )
  const rows = await many<{ id: number; hash: string }>(tx, 'SELECT id, hash FROM flow_plans WHERE hash = ANY($1)', [
    kept.map((each) => each.hash),
  ])
  const byHash = new Map(rows.map((row) => [row.hash, row.id]))
  return new Map(kept.map(({ id, hash }) => [id, byHash.get(hash) as number]))
}

const MOST_CACHED = 500
const storedPlansOf = new PerOrganisation(() => new Map<number, StoredPlan>())
const laidOut = new PerOrganisation(() => new Map<string, Plan>())

function remember<K, V>(cache: Map<K, V>, key: K, value: V): V {
  if (cache.size >= MOST_CACHED) cache.delete(cache.keys().next().value as K)
  cache.set(key, value)
  return value
}

/** Plans never change once they are kept. */
export async function storedPlans(tx: Tx | null, ids: readonly number[]): Promise<ReadonlyMap<number, StoredPlan>> {
  const stored = storedPlansOf.get()
  const missing = ids.filter((id) => !stored.has(id))
  if (missing.length > 0)
    for (const { id, bundle } of await many<{ id: number; bundle: StoredPlan }>(
      tx,
      'SELECT id, bundle FROM flow_plans WHERE id = ANY($1)',
      [missing],
    ))
      remember(stored, id, bundle)
  return new Map(ids.flatMap((id) => (stored.has(id) ? [[id, stored.get(id) as StoredPlan]] : [])))
}

/** Lays a plan out for a run with these inputs; secret ones are given apart, and such a layout is not kept. */
export function layOut(
  planId: number,
  source: StoredPlan,
  inputs: Readonly<Record<string, string>>,
  secrets: Readonly<Record<string, string>> | null,
): Plan {
  const { own, within } = partSecrets(secrets ?? {})
  const shared = new Map(Object.entries(within).map(([name, secret]) => [name.slice(SHARED.length), secret]))
  const lay = (given: Record<string, Value>): Plan =>
    planOf(sourceOf(source), source.flow, given as Record<string, string>, shared)
  if (secrets || planId === 0) return lay({ ...inputs, ...own })
  const key = `${planId} ${JSON.stringify(inputs)}`
  const known = laidOut.get()
  return known.get(key) ?? remember(known, key, lay({ ...inputs }))
}

const sourceOf = ({ flows, jobs }: StoredPlan): Parameters<typeof planOf>[0] => ({
  flows,
  jobs: jobs.map(({ id }) => ({ id, active: true })),
})
