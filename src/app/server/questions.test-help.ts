import type { Endpoint } from './endpoint'

/** Those of some queries that are different questions for an endpoint: what it does not know of asks nothing. */
export function differentQuestions({ query: schema }: Endpoint, queries: readonly string[]): string[] {
  const byMeaning = new Map<string, string>()
  for (const query of queries) {
    const read = schema?.safeParse(Object.fromEntries(new URLSearchParams(query)))
    const meaning = read?.success === false ? 'refused' : JSON.stringify(read?.data ?? '')
    if (!byMeaning.has(meaning)) byMeaning.set(meaning, query)
  }
  return [...byMeaning.values()]
}
