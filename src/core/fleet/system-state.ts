/** Kinds of system: what work serves or is done on, without an agent of its own. */
export const SYSTEM_KINDS = {
  application: 'an application',
  database: 'a database',
  host: 'a host',
  other: 'something else',
} as const
export type SystemKind = keyof typeof SYSTEM_KINDS

/** States of a system, the worst first. */
export const SYSTEM_STATES = {
  down: 'does not answer',
  look: 'needs a look',
  well: 'as it should be',
  unknown: 'nothing known yet',
} as const
export type SystemState = keyof typeof SYSTEM_STATES

/** What is known of one system by itself. */
export interface SystemSigns {
  readonly name: string
  readonly title: string
  /** Names of what it runs on. */
  readonly on: readonly string[]
  /** How its reach checks ended last: one that failed is enough; null: it has none, or none has ended yet. */
  readonly answers: boolean | null
  /** Jobs done on it, reach checks aside: how each ended last; null: it never did. */
  readonly jobs: readonly { readonly title: string; readonly wentWell: boolean | null }[]
  /** Open matters of its jobs. */
  readonly matters: number
}

export interface SystemStanding {
  readonly state: SystemState
  /** Sentences; none where there is nothing to say. */
  readonly why: readonly string[]
}

/** Whether a system is among those looked for: by a part of what it is called or of its host, by kind, by state. What is empty or absent asks for nothing. */
export function fitsSystem(
  system: {
    readonly title: string
    readonly slug: string
    readonly host: string | null
    readonly kind: string
    readonly state: string
  },
  {
    text = '',
    kind,
    state,
  }: { readonly text?: string | undefined; readonly kind?: string | undefined; readonly state?: string | undefined },
): boolean {
  return (
    `${system.title} ${system.slug} ${system.host ?? ''}`.toLowerCase().includes(text.trim().toLowerCase()) &&
    (!kind || system.kind === kind) &&
    (!state || system.state === state)
  )
}

const MOST_NAMED = 3

/** How each of these systems stands: the worst of its reach checks, its jobs, its matters, and what it runs on. One that is not among them says nothing. */
export function systemStandings(systems: readonly SystemSigns[]): Map<string, SystemStanding> {
  const known = new Map(systems.map((system) => [system.name, system]))
  const done = new Map<string, SystemStanding>()
  // What lies deepest first; a ring, which saving refuses, would say nothing of itself.
  const order: SystemSigns[] = []
  const seen = new Set<string>()
  const stack = systems.map((system) => ({ system, isLeft: false })).reverse()
  for (let top = stack.pop(); top; top = stack.pop()) {
    const { system, isLeft } = top
    if (isLeft) order.push(system)
    else if (!seen.has(system.name)) {
      seen.add(system.name)
      stack.push({ system, isLeft: true })
      for (const name of system.on) {
        const below = known.get(name)
        if (below && !seen.has(name)) stack.push({ system: below, isLeft: false })
      }
    }
  }
  for (const system of order) done.set(system.name, standingOf(system, known, done))
  return done
}

function standingOf(
  { on, answers, jobs, matters }: SystemSigns,
  known: ReadonlyMap<string, SystemSigns>,
  done: ReadonlyMap<string, SystemStanding>,
): SystemStanding {
  const why: string[] = []
  const isBelow = (state: SystemState): string[] =>
    on.filter((name) => done.get(name)?.state === state).map((name) => known.get(name)?.title ?? name)
  const [down, look] = [isBelow('down'), isBelow('look')]
  const failed = jobs.filter(({ wentWell }) => wentWell === false).map(({ title }) => title)
  if (answers === false) why.push('It did not answer when it was looked at last.')
  for (const title of down) why.push(`${title}, which it runs on, does not answer.`)
  if (failed.length > 0)
    why.push(
      failed.length > MOST_NAMED
        ? `Of its jobs ${failed.length} did not end well last.`
        : `${failed.join(', ')} did not end well last.`,
    )
  if (matters > 0) why.push(matters === 1 ? 'A matter is open.' : `${matters} matters are open.`)
  for (const title of look) why.push(`${title}, which it runs on, needs a look.`)
  if (answers === false || down.length > 0) return { state: 'down', why }
  if (why.length > 0) return { state: 'look', why }
  const isKnown =
    answers !== null ||
    jobs.some(({ wentWell }) => wentWell !== null) ||
    on.some((name) => done.get(name)?.state === 'well')
  return { state: isKnown ? 'well' : 'unknown', why }
}
