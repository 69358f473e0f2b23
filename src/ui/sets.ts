/** The set with this in it, or without: a new one, as what is drawn from it expects. */
export function withOrWithout<T>(set: ReadonlySet<T>, one: T, isIn: boolean): ReadonlySet<T> {
  const next = new Set(set)
  if (isIn) next.add(one)
  else next.delete(one)
  return next
}
