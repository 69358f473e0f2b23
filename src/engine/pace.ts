import { fromHere } from '@/store/organisation'

/**
 * Calls `work` soon after each `wake`, never twice at once, and at least every `everyMs` without being woken. After a call it rests for at least
 * `restMs` and as long as the call took, so that a busy stretch is done in batches instead of one by one. A failure is told and the work tried again.
 * The work is done for the organisation that it was made for, whoever wakes it.
 */
export function paced(
  work: () => Promise<void>,
  options: {
    readonly restMs: number
    readonly everyMs: number
    readonly onError: (error: unknown) => void
    /** After each call, whatever came of it. */
    readonly onRest?: () => void
  },
): { wake: () => void; stop: () => Promise<void> } {
  const here = fromHere()
  let timer: NodeJS.Timeout | undefined
  let running: Promise<void> | undefined
  let woken = false
  let stopped = false
  let restUntil = 0

  const schedule = (inMs: number): void => {
    clearTimeout(timer)
    if (!stopped) timer = setTimeout(run, inMs)
  }
  const run = (): void => {
    if (running || stopped) return
    woken = false
    const began = performance.now()
    running = here(work)
      .catch(options.onError)
      .finally(() => {
        running = undefined
        options.onRest?.()
        const took = performance.now() - began
        restUntil = performance.now() + Math.max(options.restMs, Math.min(took, 1000))
        schedule(woken ? Math.max(options.restMs, Math.min(took, 1000)) : options.everyMs)
      })
  }
  schedule(0)
  return {
    wake: () => {
      if (woken || stopped) return
      woken = true
      if (!running) schedule(Math.max(0, restUntil - performance.now()))
    },
    stop: async () => {
      stopped = true
      clearTimeout(timer)
      await running
    },
  }
}
