import { z } from 'zod'
import { ACTION_KINDS } from '@/core/work/job'
import { many, transaction, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { requireRight, type Actor } from '@/service/base/actor'
import { record } from '@/service/base/audit'
import { Problem } from '@/service/base/problem'
import { readSetting, writeSetting } from '@/service/base/settings'

export const kindSwitchSchema = z
  .strictObject({ kind: z.enum(ACTION_KINDS), on: z.boolean(), why: z.string().trim().max(300).default('') })
  .refine(({ on, why }) => on || why !== '', { path: ['why'], message: 'Say why: whoever waits for it reads this.' })

/** What kinds of step there are, and who can carry them out. */
export interface Kinds {
  readonly kinds: readonly {
    readonly kind: string
    /** Switched off for all; null: it is not. */
    readonly off: { readonly why: string; readonly by: string; readonly at: string } | null
    readonly jobs: number
    /** Runs that are ready and wait. */
    readonly waiting: number
  }[]
  /** Agents of the same version that can do the same, the newest version and the most agents first. */
  readonly groups: readonly {
    readonly version: string
    readonly kinds: readonly string[]
    readonly count: number
    /** The first of them, by name. */
    readonly agents: readonly { readonly id: number; readonly name: string }[]
  }[]
}

/** So many agents of a group are named. */
const MOST_NAMED = 20

export async function listKinds(actor: Actor): Promise<Kinds> {
  requireRight(actor, 'see')
  const off = await kindsOff(null)
  const work = await many<{ kind: string; jobs: number; waiting: number }>(
    null,
    `SELECT k.kind, coalesce(j.n, 0)::int AS jobs, coalesce(w.n, 0)::int AS waiting FROM unnest($1::text[]) WITH ORDINALITY AS k(kind, nth)
       LEFT JOIN (SELECT v.definition->'action'->>'kind' AS kind, count(*) AS n FROM jobs j JOIN job_versions v ON v.job_id = j.id AND v.version = j.version
                   WHERE j.deleted_at IS NULL AND NOT j.is_flow GROUP BY 1) j ON j.kind = k.kind
       LEFT JOIN (SELECT kind, count(*) AS n FROM runs WHERE state = 'ready' GROUP BY 1) w ON w.kind = k.kind ORDER BY k.nth`,
    [[...ACTION_KINDS]],
  )
  const groups = await many<Kinds['groups'][number]>(
    null,
    `SELECT version, kinds, count(*)::int AS count, jsonb_agg(jsonb_build_object('id', id, 'name', name) ORDER BY name) AS agents
       FROM (SELECT id, name, version, ARRAY(SELECT k FROM unnest($1::text[]) WITH ORDINALITY AS u(k, n) WHERE jsonb_typeof(abilities) = 'array' AND abilities ? k ORDER BY n) AS kinds
               FROM agents WHERE credential_hash IS NOT NULL) a
      GROUP BY version, kinds ORDER BY regexp_match(version, '^(\\d+)\\.(\\d+)\\.(\\d+)')::int[] DESC NULLS LAST, count(*) DESC, kinds`,
    [[...ACTION_KINDS]],
  )
  return {
    kinds: work.map((one) => ({ ...one, off: off[one.kind] ?? null })),
    groups: groups.map((group) => ({ ...group, agents: group.agents.slice(0, MOST_NAMED) })),
  }
}

/** Kinds that are switched off for all, and why. */
export const kindsOff = (tx: Tx | null): Promise<Readonly<Record<string, { why: string; by: string; at: string }>>> =>
  readSetting(tx, 'kinds-off')

/** Off: runs of this kind wait, and say why; what runs goes on. */
export async function switchKind(actor: Actor, { kind, on, why }: z.output<typeof kindSwitchSchema>): Promise<void> {
  requireRight(actor, 'administer')
  await transaction(async (tx) => {
    await many(tx, `SELECT FROM settings WHERE key = 'kinds-off' FOR UPDATE`)
    const { [kind]: was, ...others } = await kindsOff(tx)
    if (on && !was) throw new Problem('not-now', `${kind} is not switched off.`)
    const off = { ...others, ...(on ? {} : { [kind]: { why, by: actor.name, at: new Date().toISOString() } }) }
    await writeSetting(tx, 'kinds-off', off)
    await record(
      tx,
      actor,
      on ? 'switched on' : 'switched off',
      { type: 'kind of step', id: kind, title: kind },
      on ? { was: was?.why } : { why },
    )
    await notify(tx, { jobs: true, fleet: true, place: true })
  })
}
