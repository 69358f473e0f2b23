import type { z } from 'zod'
import { requireRight, type Actor } from '@/service/base/actor'
import { record } from '@/service/base/audit'
import type { chancesSchema } from '@/service/base/settings'
import { readSetting, writeSetting, type Setting } from '@/service/base/settings'
import { transaction } from '@/store/db'

/** Per cent: below `amber` a deadline is at risk, below `red` it can hardly be met. */
export const chanceLimits = async (): Promise<Setting<'chances'>> => readSetting(null, 'chances')

export async function saveChances(actor: Actor, limits: z.output<typeof chancesSchema>): Promise<void> {
  requireRight(actor, 'administer')
  await transaction(async (tx) => {
    await writeSetting(tx, 'chances', limits)
    await record(tx, actor, 'changed', { type: 'setting', id: 'chances', title: 'When a deadline is at risk' }, limits)
  })
}
