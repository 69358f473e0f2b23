/** Those that are alike. */
export interface Group<T> {
  readonly key: string
  readonly all: readonly T[]
}

/** What is alike together: the smallest group first, since what stands alone is what is looked for; of equal size the one that came first. */
export function groupsOf<T>(all: readonly T[], keyOf: (one: T) => string): Group<T>[] {
  const byKey = new Map<string, T[]>()
  for (const one of all) {
    const key = keyOf(one)
    const group = byKey.get(key)
    if (group) group.push(one)
    else byKey.set(key, [one])
  }
  return [...byKey].map(([key, members]) => ({ key, all: members })).sort((a, b) => a.all.length - b.all.length)
}
