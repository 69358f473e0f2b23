import os from 'node:os'

/** Placing and starting go before: whatever else wants a core gets most of it. With the least there is, a busy machine would never let it end. On Linux a priority is a thread's own. */
const LOW_PRIORITY = 10

let isModest = false

/** Gives this thread a low priority. */
export function beModest(): void {
  if (isModest || process.platform !== 'linux') return
  isModest = true
  os.setPriority(LOW_PRIORITY)
}
