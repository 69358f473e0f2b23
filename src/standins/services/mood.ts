/** How a stand-in behaves: as it should, slowly, with failures, or not at all. */
export const MOODS = ['well', 'slow', 'failing', 'away'] as const
export type Mood = (typeof MOODS)[number]

export const SLOW_MS = 4000
/** Keeps no process alive: while a stand-in is to answer, its door is open. */
export const pause = (ms: number): Promise<void> => new Promise((resolve) => void setTimeout(resolve, ms).unref())

/** Text in a page. */
export const html = (text: string): string =>
  text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;')
