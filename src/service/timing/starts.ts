import { z } from 'zod'
import { transaction } from '@/store/db'
import { notify } from '@/store/listen'
import { requireRight, requireSomewhere, type Actor } from '@/service/base/actor'
import { record } from '@/service/base/audit'
import type { tooOftenSchema } from '@/service/base/settings'
import { readSetting, writeSetting, type Setting } from '@/service/base/settings'

export const startsSchema = z.strictObject({ on: z.boolean(), note: z.string().max(300).default('') })

export async function startsState(actor: Actor): Promise<Setting<'starts'>> {
  requireSomewhere(actor, 'see')
  return readSetting(null, 'starts')
}

/** Switches starts by triggers off or on. Runs go on, and starts by people too; what was missed meanwhile is made up within its allowance. */
export async function switchStarts(actor: Actor, { on, note }: z.output<typeof startsSchema>): Promise<void> {
  requireRight(actor, 'operate')
  await transaction(async (tx) => {
    await writeSetting(tx, 'starts', { on, by: actor.name, at: new Date().toISOString(), note })
    await record(
      tx,
      actor,
      on ? 'switched on' : 'switched off',
      { type: 'setting', id: 'starts', title: 'Starts by triggers' },
      note ? { note } : {},
    )
    await notify(tx, { timing: true })
  })
}

export async function tooOften(actor: Actor): Promise<Setting<'too-often'>> {
  requireSomewhere(actor, 'see')
  return readSetting(null, 'too-often')
}

export async function saveTooOften(actor: Actor, request: z.output<typeof tooOftenSchema>): Promise<void> {
  requireRight(actor, 'administer')
  await transaction(async (tx) => {
    const before = await readSetting(tx, 'too-often')
    await writeSetting(tx, 'too-often', request)
    await record(
      tx,
      actor,
      'changed',
      { type: 'setting', id: 'too-often', title: 'Too often on too many' },
      { from: before, to: request },
    )
    await notify(tx, { timing: true })
  })
}
