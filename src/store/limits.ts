import { z } from 'zod'

/**
 * How much of each thing one caller, agent or job may have, so that nobody's share can become everybody's outage. Each can be set by the environment variable
 * `BUGLE_LIMIT_` and its name in capitals; `docs/operations.md` lists them, and a test compares the two.
 */
const LIMITS = {
  output_mib: [16, 'Output kept of one try, in MiB; beyond it the end is kept, and what lies between is left out'],
  output_lines: [1_000_000, 'Lines of output kept of one try'],
  agent_messages_per_second: [400, 'Messages read from one agent; it may be five times as fast for a moment'],
  agent_mib_per_second: [8, 'MiB read from one agent; three times as much for a moment'],
  agent_work_ms_per_second: [
    250,
    'Milliseconds of work a second for what one agent says; four times as many for a moment',
  ],
  agent_waiting_mib: [8, 'MiB of reports of one agent that wait to be stored before nothing more is read from it'],
  gateway_waiting_mib: [256, 'The same of all agents of one engine together'],
  gateway_sockets_per_address: [2_000, 'Connections of agents from one address'],
  gateway_greeting_per_address: [200, 'Connections from one address that have not said hello yet'],
  gateway_upgrades_per_second: [200, 'New connections of agents from one address; twice as many for a moment'],
  gateway_hello_seconds: [10, 'Seconds from connecting to the hello of an agent'],
  agent_unread_mib: [32, 'MiB that an agent has not read yet before its connection is closed'],
  sessions_per_person: [20, 'Sessions of one person; of more the oldest end'],
  session_idle_hours: [12, 'Hours without anybody there after which a session ends'],
  tokens_per_person: [50, 'Access tokens of one person that are valid at once'],
  streams_per_person: [30, 'Live pages of one person at once'],
  api_runs_per_minute: [600, 'Runs that one person starts in a minute, by page or token'],
  input_kib: [256, 'Inputs of one run together, in KiB'],
  computations_per_person: [
    8,
    'Requests of one person at once that may take long to work out: previews, imports, savings of triggers and calendars',
  ],
  computation_seconds: [60, 'Seconds that such a request may take'],
  computation_threads: [2, 'Such requests worked on at once, each in a thread of its own'],
  versions_kept: [
    1_000,
    'Versions of a job, flow, trigger or calendar that are kept; older ones go once no run refers to them',
  ],
  audit_days: [730, 'Days that the audit is kept'],
  agent_event_days: [400, 'Days that key events of agents are kept'],
} as const satisfies Record<string, readonly [value: number, says: string]>

export type LimitName = keyof typeof LIMITS

export interface LimitRow {
  readonly name: LimitName
  readonly variable: string
  readonly usual: number
  readonly says: string
}

const variableOf = (name: string): string => `BUGLE_LIMIT_${name.toUpperCase()}`

/** Every limit, for the documentation and for checking the settings. */
export const limitRows = (): LimitRow[] =>
  (Object.keys(LIMITS) as LimitName[]).map((name) => ({
    name,
    variable: variableOf(name),
    usual: LIMITS[name][0],
    says: LIMITS[name][1],
  }))

const value = z.coerce.number().positive().max(1e12)
const known = new Map<LimitName, number>()

/** The limit that holds in this process. */
export function limit(name: LimitName): number {
  const cached = known.get(name)
  if (cached !== undefined) return cached
  const text = process.env[variableOf(name)]
  const parsed = text === undefined || text === '' ? undefined : value.safeParse(text)
  if (parsed && !parsed.success) throw new Error(`${variableOf(name)} must be a number above 0, not “${text}”.`)
  const found = parsed?.data ?? LIMITS[name][0]
  known.set(name, found)
  return found
}

/** What is wrong with limits set in the environment, one sentence each. */
export const limitFaults = (env: NodeJS.ProcessEnv = process.env): string[] =>
  limitRows().flatMap(({ variable }) => {
    const text = env[variable]
    return text === undefined || text === '' || value.safeParse(text).success
      ? []
      : [`${variable} must be a number above 0, not “${text}”.`]
  })

/** For tests: limits are read anew. */
export const forgetLimits = (): void => known.clear()
