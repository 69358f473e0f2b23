import type { Change } from '@/store/listen'

/** Changes of this long travel together. */
export const GATHER_MS = 300
const MOST_RUNS = 2000

/** What changed since the last of these. `all`: more runs than are counted. */
export interface LiveEvent {
  readonly all: boolean
  readonly fleet: boolean
  readonly matters: boolean
  readonly jobs: boolean
  readonly items: boolean
  readonly reports: boolean
  readonly timing: boolean
  readonly runs: readonly number[]
}

const KINDS = ['fleet', 'matters', 'jobs', 'items', 'reports', 'timing'] as const

/** Puts changes together, and sends them as one event once the first of them is `GATHER_MS` old. */
export function gather(send: (event: LiveEvent) => void): { add: (change: Change) => void; stop: () => void } {
  const nothing = { all: false, fleet: false, matters: false, jobs: false, items: false, reports: false, timing: false }
  let gathered = { ...nothing }
  let runs = new Set<number>()
  let timer: NodeJS.Timeout | undefined
  const flush = (): void => {
    // Beyond so many, everybody just looks again.
    const isMuch = runs.size > MOST_RUNS
    const event = { ...gathered, all: gathered.all || isMuch, runs: isMuch ? [] : [...runs] }
    timer = undefined
    gathered = { ...nothing }
    runs = new Set()
    send(event)
  }
  return {
    add: (change) => {
      if (!KINDS.some((kind) => change[kind]) && !change.runs) return
      for (const id of change.runs ?? []) runs.add(id)
      gathered.all ||= change.runs?.length === 0
      for (const kind of KINDS) gathered[kind] ||= change[kind] ?? false
      timer ??= setTimeout(flush, GATHER_MS)
    },
    stop: () => clearTimeout(timer),
  }
}
