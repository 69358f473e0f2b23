import type { Day } from '../calendar/days'
import { isMeant, type RobotFacts, type AgentState, type Priority, type Target } from '../dispatch'
import type { Allowed } from '../fleet/allowance'
import type { StepResult } from '../flow/state'
import type { ByChoice } from '../stats/lengths'
import type { Measured } from './length'

/** An agent as a server knows it, beyond what stands in a file. */
export interface ServerAgent extends Omit<AgentState, 'slots' | 'full' | 'robot' | 'lastStartAtMs' | 'running'> {
  readonly full: boolean
  /** Seconds since the epoch. */
  readonly lastStart: number | null
}

/** A robot as a server knows it: a place of one slot on its agent's machine. */
export interface ServerRobot extends Omit<ServerAgent, 'accounts'> {
  readonly robot: RobotFacts
  /** Out of its hours: what it does then goes on, and it takes nothing. Seconds, from included, to excluded; apart from each other, ascending. */
  readonly closed: readonly { readonly from: number; readonly to: number }[]
}

/** How long a job takes and how often it fails, as measured; a guess where too few runs were. */
export interface JobLength extends Measured {
  /** Chance that one try fails. */
  readonly fails: number
  readonly isGuess: boolean
  /** How many runs it stands on. */
  readonly count: number
  /** Where lengths clearly differ by a choice input: by its values. */
  readonly byChoice?: ByChoice | null
}

/** A run that has not ended. Instants are seconds since the epoch. */
export interface OpenRun {
  readonly number: number
  /** `outer/inner`; null: a job alone. */
  readonly step: string | null
  /** Whoever has it, by the name of its place (`placeName`); null: it does not run yet. */
  readonly agent: string | null
  readonly started: number | null
  readonly ready: number
  /** It waits for this instant, for its next try. */
  readonly startAfter: number | null
  /** Attempts that were begun, and those of them that failed. */
  readonly begun: number
  readonly failed: number
  readonly held: boolean
}

/** What was started and has not ended: a job's run, or a flow's with all its steps. */
export interface OpenNight {
  /** null: it was started by a person, or its trigger is gone. */
  readonly trigger: string | null
  readonly number: number
  readonly occurrence: number
  readonly day: Day
  readonly due: number | null
  readonly start: { readonly job: string } | { readonly flow: string }
  readonly with: Readonly<Record<string, string>>
  readonly machine: string | null
  readonly priority: Priority
  /** Where it was sent, of a job's run. */
  readonly target: Target | null
  /** It has not begun: it waits for the run before it, or for an instant. */
  readonly waits: 'earlier' | number | null
  /** By path. */
  readonly steps: Readonly<Record<string, StepResult>>
  readonly held: readonly string[]
  readonly runs: readonly OpenRun[]
}

/** All that a forecast on a server begins with. Plain data: it goes to threads and browsers. */
export interface Server {
  readonly agents: readonly ServerAgent[]
  readonly robots?: readonly ServerRobot[]
  /** By job. */
  readonly lengths: Readonly<Record<string, JobLength>>
  readonly open: readonly OpenNight[]
  /** Starts by triggers are switched off: no occurrence makes a run. */
  readonly startsOff: boolean
  /** What may be used at once, beside what a job's locks say; missing: nothing is set. */
  readonly allowances?: readonly ServerAllowance[]
}

/** So many units of something, counted like a lock. */
export interface ServerAllowance {
  readonly what: Allowed
  /** What dispatch knows it by. */
  readonly lock: string
  /** Path of the area of which it is, with all that lies in it; null: of everything. */
  readonly area: string | null
  readonly units: number
}

/** What a job takes of allowances. Robots are taken to be unattended: who sits at one is not foreseen. */
export function allowancesOf(
  { area, isRobots, slots }: { readonly area: string | undefined; readonly isRobots: boolean; readonly slots: number },
  allowances: readonly ServerAllowance[] = [],
): Readonly<Record<string, number>> {
  const isWithin = (of: string | null): boolean => of === null || area === of || (area?.startsWith(`${of} / `) ?? false)
  const mine = allowances.filter((one) => one.what === (isRobots ? 'unattended' : 'slots') && isWithin(one.area))
  return Object.fromEntries(mine.map(({ lock }) => [lock, isRobots ? 1 : slots]))
}

/** What a robot's place is called in a forecast, beside the agents. No agent is called so. */
export const placeName = (robot: string): string => `robot ${robot}`

/** Whether a target means this agent, whatever it can do. */
export const fits = ({ name, pools, labels }: ServerAgent, target: Target): boolean =>
  isMeant(target, { name, isRobot: false, pools: Object.keys(pools).filter((pool) => pools[pool]), labels })

/** A stretch that begins so near to now goes on from what runs and waits now. Seconds. */
const NOW_SECONDS = 600
export const isLater = (from: number, now: number): boolean => from > now + NOW_SECONDS

const reached = <A extends ServerAgent | ServerRobot>(agent: A): A => ({
  ...agent,
  connected: true,
  full: false,
  draining: false,
})

/** How a stretch begins that is still to come: nothing is open, and every agent that is switched on calls. */
export const laterOf = (server: Server): Server => ({
  ...server,
  open: [],
  startsOff: false,
  agents: server.agents.map(reached),
  robots: (server.robots ?? []).map(reached),
})
