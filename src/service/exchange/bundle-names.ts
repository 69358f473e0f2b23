import type { ThingKind } from '@/core/views/lists'
import { invalid } from '@/service/base/problem'
import { many, maybeOne, type Tx } from '@/store/db'

type NamedKind = ThingKind | 'queue' | 'view'

/** What a thing is called in a file, by its number. */
const NAMES: Readonly<Record<NamedKind, string>> = {
  job: 'SELECT id, slug AS name FROM jobs WHERE deleted_at IS NULL',
  area: 'SELECT id, path AS name FROM areas WHERE deleted_at IS NULL',
  agent: 'SELECT id, name FROM agents',
  robot: 'SELECT id, name FROM robots',
  trigger: 'SELECT id, slug AS name FROM triggers WHERE deleted_at IS NULL',
  queue: 'SELECT id, slug AS name FROM queues WHERE deleted_at IS NULL',
  view: 'SELECT id, slug AS name FROM views',
  person: `SELECT id, lower(email) AS name FROM people WHERE kind = 'person'`,
}

/** What things are called in a file, by `kind number`; what is not there any more has no name. */
export async function namesOf(
  things: readonly { readonly kind: NamedKind; readonly id: number }[],
): Promise<Map<string, string>> {
  const names = new Map<string, string>()
  for (const kind of new Set(things.map((one) => one.kind))) {
    const ids = things.filter((one) => one.kind === kind).map(({ id }) => id)
    const found = await many<{ id: number; name: string }>(
      null,
      `SELECT * FROM (${NAMES[kind]}) n WHERE id = ANY($1::bigint[])`,
      [ids.filter(Number.isSafeInteger)],
    )
    for (const { id, name } of found) names.set(`${kind} ${id}`, name)
  }
  return names
}

/** The number of what a file names. @param path where it stands there */
export async function idOf(tx: Tx, path: string, kind: NamedKind, name: string): Promise<number> {
  const row = await maybeOne<{ id: number }>(
    tx,
    `SELECT id FROM (${NAMES[kind]}) n WHERE lower(name) = lower($1) LIMIT 1`,
    [name],
  )
  if (!row)
    throw invalid(
      path,
      kind === 'person' ? `There is nobody with the address ${name} here.` : `There is no ${kind} ${name} here.`,
    )
  return row.id
}
