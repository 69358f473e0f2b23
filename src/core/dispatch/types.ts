import type { Target } from './target'

export type { Target } from './target'

/** Levels of urgency, the most urgent first. A run's level is its index here. */
export const PRIORITIES = ['urgent', 'high', 'normal', 'low'] as const
export type Priority = (typeof PRIORITIES)[number]

/** A step has the priority of its flow's run; a job that is more urgent than that stays so in any flow. A job that is *normal* says nothing of its own. */
export function priorityOfStep(ofFlow: Priority, ofJob: Priority | undefined): Priority {
  if (ofJob === undefined || ofJob === 'normal') return ofFlow
  return PRIORITIES[Math.min(PRIORITIES.indexOf(ofFlow), PRIORITIES.indexOf(ofJob))] as Priority
}

/** How it stands with the people who are asked whether their robots may take a run. */
export interface DeskAsk {
  /** Who is asked now, or has agreed; null: nobody. */
  readonly live: {
    readonly robot: string
    readonly how: 'asked' | 'later' | 'agreed'
    /** Until when an answer is waited for; or from when on it may take it. */
    readonly atMs: number
  } | null
  /** What became of those that were asked before, in words, by robot. */
  readonly answers: Readonly<Record<string, string>>
}

/** A run that needs a slot, or a robot. Instants and lengths are milliseconds; instants since the epoch. */
export interface ReadyRun {
  readonly number: number
  readonly target: Target
  /** Kind of step, matched against an agent's abilities. */
  readonly kind: string
  /** Of its agent; for a robot task 1, the robot itself. */
  readonly slots: number
  readonly locks: Readonly<Record<string, number>>
  /** For a robot task null: it runs under its robot's. */
  readonly account: string | null
  readonly minVersion: string | null
  readonly priority: Priority
  readonly dueAtMs: number | null
  readonly usualMs: number
  /** Longest chain to the end of its flow, its own length included; for a job its usual length. */
  readonly chainMs: number
  readonly readyAtMs: number
  readonly held: boolean
  /** Starts of this run's job, or all starts, are switched off. */
  readonly off: boolean
  /** Its kind of step is switched off for all: why, in a sentence; missing: it is not. */
  readonly kindOff?: string
  /** Of a robot task whose robots are attended; missing: nobody was asked. */
  readonly desk?: DeskAsk
}

/** What an agent has in hand. */
export interface HeldWork {
  readonly number: number
  readonly slots: number
  readonly locks: Readonly<Record<string, number>>
  readonly startedAtMs: number
  readonly usualMs: number
}

/** What a robot is beyond its agent: one that is not there, not in its hours or cannot sign in takes nothing. */
export interface RobotFacts {
  /** On whose machine it works. */
  readonly agent: string
  readonly isAgentOn: boolean
  /** A person is at it: it takes nothing to which they have not agreed. */
  readonly isAttended: boolean
  /** When it may work, if it may not now, in words. */
  readonly outOfHours: string | null
  /** Why its account does not work, in words. */
  readonly accountFault: string | null
}

/** An agent, or a robot: on the board a robot is a place of one slot beside the agents, reached and kept from work as its agent is. */
export interface AgentState {
  /** Agents among agents, and robots among robots, have names of their own. */
  readonly name: string
  /** null: it is an agent. */
  readonly robot: RobotFacts | null
  readonly slots: number
  readonly on: boolean
  readonly draining: boolean
  /** Its disk is full: it takes nothing new. */
  readonly full?: boolean
  readonly connected: boolean
  /** Pools it belongs to; false: its membership is switched off. */
  readonly pools: Readonly<Record<string, boolean>>
  readonly labels: Readonly<Record<string, string>>
  readonly version: string
  readonly abilities: readonly string[]
  readonly accounts: readonly string[]
  readonly lastStartAtMs: number | null
  readonly running: readonly HeldWork[]
}

export interface Fleet {
  readonly agents: readonly AgentState[]
  /** Units of each lock in all. */
  readonly locks: Readonly<Record<string, number>>
}

export interface Start {
  readonly number: number
  readonly agent: string
  /** The robot on that agent's machine that takes it; missing: the agent itself does. */
  readonly robot?: string
}

/** An agent by its name, or a robot by its. */
export type Place = string | { readonly robot: string }

/** Why a run does not start, and what would end the waiting. */
export type Reason =
  | { readonly why: 'held' }
  | { readonly why: 'off' }
  | { readonly why: 'kind'; readonly kind: string; readonly because: string }
  | { readonly why: 'agent'; readonly lacks: readonly AgentLack[]; readonly isRobot?: true }
  /** The person at a robot is asked; or wants it later. */
  | { readonly why: 'person'; readonly robot: string; readonly how: 'asked' | 'later'; readonly atMs: number }
  | { readonly why: 'lock'; readonly lock: string; readonly holders: readonly number[] }
  /** No more of these may be in use at once: `slots in Sailing`. */
  | { readonly why: 'allowance'; readonly of: string; readonly units: number; readonly holders: readonly number[] }
  | { readonly why: 'slot'; readonly agent: string; readonly atMs: number; readonly isRobot?: true }
  | { readonly why: 'turn'; readonly for: number }
  | { readonly why: 'soon' }

/** What keeps one agent, or robot, from being eligible, in words. */
interface AgentLack {
  readonly agent: string
  readonly lacks: readonly string[]
}

export interface Placing {
  /** In the order in which they were decided. */
  readonly starts: readonly Start[]
  /** Undefined for a run that starts, or that this placing did not know. */
  readonly reasonFor: (number: number) => Reason | undefined
  /** The same in one word, without working out what would end the waiting. */
  readonly whyNot: (number: number) => Reason['why'] | undefined
}
