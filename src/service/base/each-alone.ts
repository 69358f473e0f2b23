import { clipText, storableText } from '@/core/schema/plain-text'
import { isOutage } from '@/store/outage'

/** What went wrong, in words that a record may keep. */
export const wordsOf = (error: unknown): string =>
  clipText(storableText(error instanceof Error ? (error.message.split('\n')[0] ?? '') : String(error)), 300)

/**
 * Does the work for all at once, as is cheapest; when that fails for what is in it, each by itself, so that one bad row keeps none of its neighbours. Those that fail alone are given to `bad`,
 * which says so where a person sees it, and takes them out of the way. While the database is away nothing is anybody's fault: the error is passed on.
 */
export async function allOrEach<Item, Result>(
  items: readonly Item[],
  work: (items: readonly Item[]) => Promise<Result>,
  bad: (item: Item, error: unknown) => Promise<void>,
): Promise<Result[]> {
  if (items.length === 0) return []
  try {
    return [await work(items)]
  } catch (error) {
    if (isOutage(error)) throw error
    if (items.length === 1) {
      await bad(items[0] as Item, error)
      return []
    }
  }
  const results: Result[] = []
  for (const item of items) results.push(...(await allOrEach([item], work, bad)))
  return results
}
