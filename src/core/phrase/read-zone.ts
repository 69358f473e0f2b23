import type { Cursor } from './cursor'

let cities: ReadonlyMap<string, readonly string[]> | undefined

/** Zones by the last part of their names, in words: `new york` → `America/New_York`. */
function zonesByCity(): ReadonlyMap<string, readonly string[]> {
  if (cities) return cities
  const found = new Map<string, string[]>()
  for (const zone of Intl.supportedValuesOf('timeZone')) {
    const city = (zone.split('/').at(-1) as string).replaceAll('_', ' ').toLowerCase()
    found.set(city, [...(found.get(city) ?? []), zone])
  }
  return (cities = found)
}

/** `Europe/London`, `UTC`, `London time`, `in New York time`: a zone of the IANA database; null if none begins here. */
export function readZone(cursor: Cursor): string | null {
  return cursor.attempt(() => {
    cursor.take('in|by')
    if (cursor.take('utc|gmt')) {
      cursor.take('time')
      return 'UTC'
    }
    return cursor.attempt(() => zoneName(cursor)) ?? cursor.attempt(() => cityTime(cursor))
  })
}

function zoneName(cursor: Cursor): string | null {
  const first = cursor.next()
  if (first?.kind !== 'word' || cursor.peek()?.text !== '/') return null
  let end = first.at + first.length
  while (cursor.take('/')) {
    let part = cursor.next()
    while (part && cursor.peek()?.text === '-' && cursor.peek(1)?.kind === 'word') {
      cursor.next()
      part = cursor.next()
    }
    if (part?.kind !== 'word') return null
    end = part.at + part.length
  }
  const written = cursor.text.slice(first.at, end)
  const zone = Intl.supportedValuesOf('timeZone').find((each) => each.toLowerCase() === written.toLowerCase())
  if (!zone) throw cursor.fault(`There is no zone ${written}: zones read like Europe/London.`, first)
  cursor.take('time')
  return zone
}

function cityTime(cursor: Cursor): string | null {
  const start = cursor.peek()
  const words: string[] = []
  while (words.length < 4) {
    const token = cursor.next()
    if (token?.kind !== 'word') return null
    if (token.text === 'time') break
    words.push(token.text)
  }
  const found = zonesByCity().get(words.join(' ')) ?? []
  if (found.length > 1) throw cursor.fault(`Which one: ${found.join(', ')}?`, start)
  return found[0] ?? null
}
