/** What may explain that a run did not go well, as far as the record tells; never more than a suspicion. */

/** Kinds of what changed, those that explain most first. */
const KINDS = [
  'definition',
  'account',
  'system',
  'shared value',
  'input',
  'file',
  'environment',
  'machine',
  'agent',
  'lock',
  'pool',
  'wait',
  'length',
  'trigger',
  'calendar',
] as const
export type ChangeKind = (typeof KINDS)[number]

export interface Change {
  readonly kind: ChangeKind
  /** One sentence. */
  readonly says: string
  /** When it was made, milliseconds; null: it is no act of anybody, the two runs differ in it. */
  readonly atMs: number | null
  readonly by: string | null
  /** Where it can be looked at. */
  readonly object: { readonly type: string; readonly id: number } | null
}

/**
 * The likeliest first: what was made after the last good run began and before the first bad one did, and what differs between the runs, before all else; then by kind; then the nearest to the
 * first failure.
 */
export function inOrder(
  changes: readonly Change[],
  { goodMs, firstBadMs }: { readonly goodMs: number; readonly firstBadMs: number },
): Change[] {
  const isBetween = ({ atMs }: Change): boolean => atMs === null || (atMs > goodMs && atMs <= firstBadMs)
  const nearness = ({ atMs }: Change): number => (atMs === null ? 0 : Math.abs(firstBadMs - atMs))
  return [...changes].sort(
    (a, b) =>
      Number(isBetween(b)) - Number(isBetween(a)) ||
      KINDS.indexOf(a.kind) - KINDS.indexOf(b.kind) ||
      nearness(a) - nearness(b),
  )
}
