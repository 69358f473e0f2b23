/** What a shift's log says of a matter: what was wrong, and what came of it. Instants in milliseconds. */
export interface LogMatter {
  readonly id: number
  readonly kind: string
  readonly title: string
  readonly stepTitle: string | null
  readonly agent: string | null
  readonly runId: number | null
  /** The line that tells. */
  readonly evidence: string
  readonly times: number
  readonly openedAtMs: number
  readonly takenBy: string | null
  readonly takenAtMs: number | null
  readonly note: string
  readonly closedBy: string | null
  readonly closedAtMs: number | null
  /** What was done, in the words of whoever closed it. */
  readonly done: string
}

export interface LogChange {
  readonly atMs: number
  readonly by: string
  readonly says: string
  readonly object: { readonly type: string; readonly id: string }
  /** Runs that failed after it and touched what it changed. */
  readonly followed: readonly number[]
}

/** What somebody wrote for whoever reads the log. */
export interface LogNote {
  readonly id: number
  readonly atMs: number
  readonly by: string
  readonly byId: number | null
  readonly text: string
}

export interface HandOver {
  readonly atMs: number
  readonly by: string
  readonly to: string
  readonly note: string
}

export interface ShiftLog {
  readonly fromMs: number
  readonly toMs: number
  /** Open before it began, and opened in it; each in order of time. */
  readonly before: readonly LogMatter[]
  readonly matters: readonly LogMatter[]
  readonly changes: readonly LogChange[]
  readonly notes: readonly LogNote[]
  readonly handedOver: readonly HandOver[]
  /** There is more of one of these than is told. */
  readonly isCut: boolean
}

export type LogEntry =
  | { readonly is: 'matter'; readonly atMs: number; readonly matter: LogMatter }
  | { readonly is: 'change'; readonly atMs: number; readonly change: LogChange }
  | { readonly is: 'note'; readonly atMs: number; readonly note: LogNote }
  | { readonly is: 'handed over'; readonly atMs: number; readonly handOver: HandOver }

/** All that happened, in order of time; of the same instant matters first. */
export function entriesOf({ matters, changes, notes, handedOver }: ShiftLog): LogEntry[] {
  return [
    ...matters.map((matter): LogEntry => ({ is: 'matter', atMs: matter.openedAtMs, matter })),
    ...changes.map((change): LogEntry => ({ is: 'change', atMs: change.atMs, change })),
    ...notes.map((note): LogEntry => ({ is: 'note', atMs: note.atMs, note })),
    ...handedOver.map((handOver): LogEntry => ({ is: 'handed over', atMs: handOver.atMs, handOver })),
  ].sort((a, b) => a.atMs - b.atMs)
}

export const isOpenAt = ({ closedAtMs }: LogMatter, atMs: number): boolean => closedAtMs === null || closedAtMs > atMs

/** Matters that were open when it ended, the oldest first. */
export const stillOpen = ({ before, matters, toMs }: ShiftLog): LogMatter[] =>
  [...before, ...matters].filter((matter) => isOpenAt(matter, toMs))

export interface LogFigures {
  readonly failed: number
  readonly late: number
  readonly other: number
  /** Of all that was open at any time in it. */
  readonly mended: number
  readonly stillOpen: number
}

const isFailure = ({ kind }: LogMatter): boolean => kind === 'run-failed' || kind === 'run-lost'
const isLate = ({ kind }: LogMatter): boolean => kind === 'run-late'

export function figuresOf(log: ShiftLog): LogFigures {
  const [failed, late] = [log.matters.filter(isFailure).length, log.matters.filter(isLate).length]
  const open = stillOpen(log).length
  return {
    failed,
    late,
    other: log.matters.length - failed - late,
    mended: log.before.length + log.matters.length - open,
    stillOpen: open,
  }
}

/** Parts of a log that a figure of it counts. */
export const LOG_PARTS = ['failed', 'late', 'other', 'mended', 'changes'] as const
export type LogPart = (typeof LOG_PARTS)[number]

/** What a figure counts, in order of time; what was settled may have begun before. */
export function partOf(log: ShiftLog, part: LogPart): LogEntry[] {
  const isIn = (matter: LogMatter): boolean =>
    part === 'failed'
      ? isFailure(matter)
      : part === 'late'
        ? isLate(matter)
        : part === 'other'
          ? !isFailure(matter) && !isLate(matter)
          : !isOpenAt(matter, log.toMs)
  return entriesOf({
    ...log,
    matters: part === 'changes' ? [] : [...(part === 'mended' ? log.before : []), ...log.matters].filter(isIn),
    changes: part === 'changes' ? log.changes : [],
    notes: [],
    handedOver: [],
  })
}

const HAPPENED: Readonly<Record<string, string>> = {
  'run-failed': 'failed',
  'run-lost': 'was lost',
  'run-late': 'was late',
  'run-at-risk': 'was at risk of being late',
  'deadline-at-risk': 'was at risk of being late',
  'output-changed': 'wrote something else',
  'agent-away': 'did not call',
}

/** What was wrong, in one line. */
export function matterWords({ kind, title, stepTitle, agent, times }: LogMatter): string {
  const happened = HAPPENED[kind]
  if (happened === undefined) return title
  const at = stepTitle ? ` at ${stepTitle}` : ''
  const where = agent && kind !== 'agent-away' ? ` on ${agent}` : ''
  return `${title} ${happened}${at}${where}${times > 1 ? `, ${times} times` : ''}`
}

/** Who, and what they said, if anything. */
export const withWords = (who: string, words: string): string => [who, words && `“${words}”`].filter(Boolean).join(': ')

export const handOverWords = ({ by, to }: HandOver): string => `${by} handed over to ${to}`
