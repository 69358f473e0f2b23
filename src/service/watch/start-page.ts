import { mayDo } from '@/core/people/roles'
import type { Opens } from '@/core/people/opens'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import type { Preferences } from '@/service/people/people'
import { listMatters, type MatterRow } from '@/service/runs/matters'
import { one } from '@/store/db'

const FIRST_STEPS = ['agent', 'job', 'run', 'calendar', 'trigger', 'notice', 'person'] as const
export type FirstStep = (typeof FIRST_STEPS)[number]

export interface StartPage {
  /** What a new server still needs, and has; null: all of it is there, or whoever asks may do none of it. */
  readonly steps: readonly { readonly id: FirstStep; readonly isDone: boolean }[] | null
  /** Matters that they took. */
  readonly taken: readonly MatterRow[]
}

export async function startPage(actor: Actor): Promise<StartPage> {
  requireSomewhere(actor, 'see')
  const taken = (await listMatters(actor)).filter(({ takenBy }) => takenBy !== null && takenBy === actor.name)
  return { steps: await firstSteps(actor), taken }
}

/** Ticks itself: each step is done once there is one. A calendar counts once somebody made it, not those that every server begins with. */
async function firstSteps(actor: Actor): Promise<StartPage['steps']> {
  if (!mayDo(actor.role, 'design')) return null
  const found = await one<Record<FirstStep, boolean>>(
    null,
    `SELECT EXISTS (SELECT FROM agents WHERE credential_hash IS NOT NULL) AS agent, EXISTS (SELECT FROM jobs WHERE deleted_at IS NULL) AS job,
            EXISTS (SELECT FROM runs) AS run, EXISTS (SELECT FROM calendars) AS calendar, EXISTS (SELECT FROM triggers WHERE deleted_at IS NULL) AS trigger,
            EXISTS (SELECT FROM notices) AS notice, (SELECT count(*) FROM people WHERE active) > 1 AS person`,
  )
  const steps = FIRST_STEPS.map((id) => ({ id, isDone: found[id] }))
  return steps.every(({ isDone }) => isDone) ? null : steps
}

/** Where Bugle opens for somebody: as they chose; else at the first steps while there are some, and at Watch from then on. */
export async function opensAt(actor: Actor, { opens }: Preferences): Promise<Opens> {
  return opens ?? ((await firstSteps(actor)) === null ? 'watch' : 'start')
}
