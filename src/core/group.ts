/** Items by a key of theirs, in their order. */
export function groupedBy<Item, Key>(items: Iterable<Item>, keyOf: (item: Item) => Key): Map<Key, Item[]> {
  const groups = new Map<Key, Item[]>()
  for (const item of items) {
    const key = keyOf(item)
    const group = groups.get(key)
    if (group) group.push(item)
    else groups.set(key, [item])
  }
  return groups
}

/** What stands under the key; where nothing does, what is made and stands there from then on. */
export function getOr<Key, Value>(map: Map<Key, Value>, key: Key, make: () => Value): Value {
  let value = map.get(key)
  if (value === undefined) map.set(key, (value = make()))
  return value
}
