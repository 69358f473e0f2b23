import { z } from 'zod'
import { ROLES } from '@/core/people/roles'
import { networkSchema } from '@/core/net/networks'
import { execute, maybeOne, transaction, type Tx } from '@/store/db'
import type { Actor } from './actor'
import { difference, record } from './audit'

/** Settings of the whole server, by key. */
const SCHEMAS = {
  /** Whether triggers start anything. */
  starts: z.object({
    on: z.boolean(),
    by: z.string().optional(),
    at: z.string().optional(),
    note: z.string().optional(),
  }),
  /** What counts as too often on too many: more often than every so many minutes, on more than so many machines. */
  'too-often': z.strictObject({ minutes: z.int().min(1).max(1440), machines: z.int().min(1).max(10_000) }),
  'timing-version': z.int(),
  /** The database was brought back from a back-up: when that was found, and between which tokens of leases lies what it does not know of. */
  restored: z.object({ at: z.string(), from: z.int(), to: z.int() }).nullable(),
  /** Networks beyond the public ones that the server itself may call. */
  addresses: z.strictObject({ allow: z.array(networkSchema).max(200) }),
  /** Where an administrator's browser last reached the pages; empty: not yet. */
  pages: z.strictObject({ url: z.string().max(300) }),
  /** Whose role asks for a second factor. */
  'second-factor': z.strictObject({ roles: z.array(z.enum(ROLES)).max(ROLES.length) }),
  /** Kinds of step that are switched off for all. */
  'kinds-off': z.record(z.string().max(40), z.object({ why: z.string(), by: z.string(), at: z.string() })),
  /** Chances of deadlines, per cent: below which they are at risk, and below which they hardly can be met. */
  chances: z
    .strictObject({ amber: z.int().min(1).max(100), red: z.int().min(0).max(99) })
    .refine(({ amber, red }) => red < amber, { path: ['red'], message: 'It must be below the other limit.' }),
} as const
export type SettingKey = keyof typeof SCHEMAS
export type Setting<K extends SettingKey> = z.output<(typeof SCHEMAS)[K]>

export const tooOftenSchema = SCHEMAS['too-often']
export const secondFactorSettingSchema = SCHEMAS['second-factor']
export const chancesSchema = SCHEMAS.chances
export const addressesSchema = SCHEMAS.addresses

export async function readSetting<K extends SettingKey>(tx: Tx | null, key: K): Promise<Setting<K>> {
  const row = await maybeOne<{ value: unknown }>(tx, 'SELECT value FROM settings WHERE key = $1', [key])
  const read = SCHEMAS[key].safeParse(row?.value)
  return (read.success ? read.data : USUAL[key]) as Setting<K>
}

/** An administrator changes one that is theirs to change; the record says what of it. The right to it the caller has looked at. */
export async function changeSetting<K extends SettingKey>(
  actor: Actor,
  key: K,
  title: string,
  value: Setting<K>,
): Promise<void> {
  await transaction(async (tx) => {
    const before = await readSetting(tx, key)
    await writeSetting(tx, key, value)
    await record(
      tx,
      actor,
      'changed',
      { type: 'setting', id: key, title },
      difference(before as object, value as object),
    )
  })
}

/** What holds where nothing that can be read is stored. */
const USUAL: { readonly [K in SettingKey]: Setting<K> } = {
  starts: { on: true },
  'too-often': { minutes: 30, machines: 5 },
  'timing-version': 0,
  restored: null,
  addresses: { allow: [] },
  pages: { url: '' },
  chances: { amber: 90, red: 50 },
  'second-factor': { roles: [] },
  'kinds-off': {},
}

export async function writeSetting<K extends SettingKey>(tx: Tx, key: K, value: Setting<K>): Promise<void> {
  await execute(tx, 'UPDATE settings SET value = $2 WHERE key = $1', [key, JSON.stringify(value)])
}
