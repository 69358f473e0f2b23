import { many, type Tx } from '@/store/db'
import type { Actor } from './actor'
import { addAreaIn } from './work'

export interface ImportLine {
  readonly kind: 'calendar' | 'pool' | 'job' | 'flow' | 'trigger'
  readonly id: string
  readonly what: 'added' | 'changed' | 'same'
}

/** Where jobs and flows go that name no area. */
export const DEFAULT_AREA = 'Imported'

/** The area with this title, made if there is none. `known`: those found before, by title in lower case. */
export async function areaFor(tx: Tx, actor: Actor, known: Map<string, number>, title: string): Promise<number> {
  const key = title.toLowerCase()
  let id = known.get(key)
  if (id === undefined) {
    const [row] = await many<{ id: number }>(tx, 'SELECT id FROM areas WHERE lower(title) = $1', [key])
    id = row?.id ?? (await addAreaIn(tx, actor, { title, notes: '' })).id
    known.set(key, id)
  }
  return id
}

/** Equal as JSON, whatever the order of keys. */
export function sameJson(a: unknown, b: unknown): boolean {
  const sorted = (value: unknown): unknown =>
    typeof value === 'object' && value !== null && !Array.isArray(value)
      ? Object.fromEntries(
          Object.entries(value)
            .filter(([, v]) => v !== undefined)
            .sort(([x], [y]) => (x < y ? -1 : 1))
            .map(([k, v]) => [k, sorted(v)]),
        )
      : Array.isArray(value)
        ? value.map(sorted)
        : value
  return JSON.stringify(sorted(a)) === JSON.stringify(sorted(b))
}
