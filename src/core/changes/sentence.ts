import { differencesInWords } from '../work/differences'

/** What became of something, in a sentence, from what the record keeps of it. @param changes `{field: {from, to}}` */
export function changeSentence(type: string, title: string, action: string, changes: unknown): string {
  const what = `The ${type} ${title}`
  if (action === 'rotated') return `${what} got a new secret.`
  const pairs = Object.entries((changes ?? {}) as Record<string, unknown>).filter(
    (entry): entry is [string, { from: unknown; to: unknown }] =>
      typeof entry[1] === 'object' && entry[1] !== null && 'from' in entry[1] && 'to' in entry[1],
  )
  const side = (key: 'from' | 'to'): object => Object.fromEntries(pairs.map(([name, pair]) => [name, pair[key]]))
  const says = differencesInWords(side('from'), side('to'))
  return says.length === 0 ? `${what} was ${action}.` : `${what} was ${action}: ${says.slice(0, 3).join(' ')}`
}
