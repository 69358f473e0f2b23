import { headers } from 'next/headers'
import { preload } from 'react-dom'

/**
 * Lets the browser fetch what a page asks for first while its scripts are still on their way: paths below /api/v1, as the page asks for them. Only when a whole page is
 * opened: within the application the page asks by itself at once, and an answer that nobody takes would be taken, out of date, by whoever asks next.
 */
export async function fetchAhead(...paths: readonly string[]): Promise<void> {
  if ((await headers()).get('sec-fetch-dest') !== 'document') return
  for (const path of paths) preload(`/api/v1${path}`, { as: 'fetch', crossOrigin: 'anonymous' })
}
