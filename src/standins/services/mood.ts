/** How a stand-in behaves: as it should, slowly, with failures, or not at all. */
export const MOODS = ['well', 'slow', 'failing', 'away'] as const
export type Mood = (typeof MOODS)[number]

export const SLOW_MS = 4000
/** Keeps no process alive: while a stand-in is to answer, its door is open. */
export const pause = (ms: number): Promise<void> => new Promise((resolve) => void setTimeout(resolve, ms).unref())

/** Text in a page. */
export const html = (text: string): string =>
  text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;')

/** A page of the stand-ins. */
export function page(inner: string): string {
  return `<!doctype html><html lang="en"><meta charset="utf-8"><title>Stand-ins</title><style>body{font:15px sans-serif;max-width:46rem;margin:2rem auto;padding:0 1rem}td,th{padding:.2rem .6rem;text-align:left}pre{white-space:pre-wrap;background:#f4f1ea;padding:.6rem}article{border-top:1px solid #ccc}</style><nav><a href="/">Stand-ins</a> · <a href="/mailbox">Mailbox</a> · <a href="/tickets">Ticket desk</a></nav>${inner}</html>`
}
