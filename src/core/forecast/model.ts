import type { Overlap } from '../bundle/schema'
import type { Day } from '../calendar/days'
import type { Priority, Target } from '../dispatch'
import type { Plan } from '../flow/plan'
import type { Look } from '../flow/state'
import type { Length } from './length'
import type { OpenNight, ServerAgent, ServerRobot } from './server'

/** Why a forecast cannot be made of this file; the path says where in it. */
export class ForecastFault extends Error {
  constructor(
    readonly path: string,
    message: string,
  ) {
    super(path === '' ? message : `${path}: ${message}`)
  }
}

/** A step with a job, or the one job of a trigger. */
export interface StepModel {
  readonly job: string
  /** `outer/inner`; null: the trigger starts the job itself. */
  readonly path: string | null
  /** Its place in the plan; 0 for a job alone. */
  readonly index: number
  /** Whose load it is; '' where its job names no pool. */
  readonly pool: string
  readonly target: Target
  /** What its agent must be able to do, whom it must be allowed to run as, how new it must be. */
  readonly kind: string
  readonly account: string | null
  readonly minVersion: string | null
  /** Its job is switched off: what is ready of it does not start. */
  readonly off: boolean
  readonly slots: number
  /** Slots of its agent that it takes: none where a robot does it. */
  readonly load: number
  readonly locks: Readonly<Record<string, number>>
  readonly length: Length
  readonly priority: Priority
  /** Chance that one try fails. */
  readonly fails: number
  readonly retries: number
  /** Seconds between tries. */
  readonly retryDelay: number
}

/** What an occurrence starts, on its day. */
export interface Work {
  /** null: a job alone. */
  readonly plan: Plan | null
  readonly look: Look
  /** By place in the plan; undefined for flow steps. */
  readonly steps: readonly (StepModel | undefined)[]
  /** Longest chain to the end of the flow, by place in the plan. Seconds. */
  readonly chains: readonly number[]
}

export interface Occurrence {
  readonly trigger: TriggerModel
  /** Seconds since the epoch. */
  readonly at: number
  readonly day: Day
  readonly due: number | null
}

export interface TriggerModel {
  /** Of what a person started `#` and its number. */
  readonly id: string
  /** Its place in the file. */
  readonly index: number
  /** The one of its machines that this is for, where it starts on each; else null. */
  readonly machine: string | null
  readonly overlap: Overlap
  readonly waitMost: number
  readonly workOn: (day: Day) => Work
  /** Ascending. */
  readonly occurrences: readonly Occurrence[]
}

export interface AgentModel {
  readonly name: string
  readonly slots: number
  readonly pools: readonly string[]
  /** Apart from each other, ascending; from included, to excluded. Seconds. */
  readonly away: readonly { readonly from: number; readonly to: number }[]
  /** A robot: when it takes nothing, and what it does goes on. */
  readonly closed?: readonly { readonly from: number; readonly to: number }[]
}

export interface Model {
  /** Seconds since the epoch; to excluded. */
  readonly from: number
  readonly to: number
  readonly pools: readonly { readonly id: string; readonly capacity: number }[]
  readonly agents: readonly AgentModel[]
  readonly locks: Readonly<Record<string, number>>
  /** Those that are switched on and start something, in the order of the file. */
  readonly triggers: readonly TriggerModel[]
  /** What a server knows of its agents and robots beyond a file, by the name of the place. */
  readonly facts: ReadonlyMap<string, ServerAgent | ServerRobot> | null
  /** What is open when the stretch begins, in the order in which it was made. */
  readonly open: readonly OpenModel[]
}

/** An open night with what it carries out. */
export interface OpenModel {
  readonly of: Occurrence
  readonly night: OpenNight
  readonly work: Work
}

/** Everything with a due time that a stretch is about: what falls in it, and what was open when it began. */
export const datedOf = (model: Model): Occurrence[] =>
  [...model.open.map(({ of }) => of), ...model.triggers.flatMap(({ occurrences }) => occurrences)].filter(
    ({ due }) => due !== null,
  )
