import { isRobotTarget, wantedBy, type Target } from './target'
import type { AgentState, ReadyRun } from './types'

/**
 * Compares dotted versions number by number (`1.10.0` > `1.9`); missing places count as 0, anything after a
 * hyphen is ignored. Negative: a is older.
 */
export function compareVersions(a: string, b: string): number {
  const left = versionParts(a)
  const right = versionParts(b)
  for (let i = 0; i < Math.max(left.length, right.length); i++) {
    const difference = (left[i] ?? 0) - (right[i] ?? 0)
    if (difference !== 0) return difference
  }
  return 0
}

function versionParts(version: string): number[] {
  return (version.split('-')[0] ?? '').split('.').map((part) => Number.parseInt(part, 10) || 0)
}

const hasAgreed = ({ desk }: ReadyRun, robot: string): boolean =>
  desk?.live?.how === 'agreed' && desk.live.robot === robot

/** Everything that keeps this agent from being eligible for the run, in words; empty: it is eligible. Room is not looked at. */
export function whatLacks(run: ReadyRun, agent: AgentState): string[] {
  const lacks: string[] = []
  const { target } = run
  const { robot } = agent
  if (isRobotTarget(target) !== (robot !== null)) lacks.push(robot === null ? 'is no robot' : 'is a robot')
  const { name, pool, labels } = wantedBy(target)
  if (name !== undefined && agent.name !== name) lacks.push(`is not ${name}`)
  if (pool !== undefined) {
    const member = agent.pools[pool]
    if (member === undefined) lacks.push(`is not in pool ${pool}`)
    else if (!member) lacks.push(`is switched off in pool ${pool}`)
  }
  for (const [key, value] of Object.entries(labels ?? {}))
    if (agent.labels[key] !== value) lacks.push(`has no label ${key}=${value}`)
  if (!agent.on) lacks.push('is switched off')
  if (robot?.isAttended && !hasAgreed(run, agent.name))
    lacks.push(`is attended, and ${run.desk?.answers[agent.name] ?? 'the person at it has not been asked'}`)
  if (robot?.outOfHours) lacks.push(`is out of its hours (${robot.outOfHours})`)
  if (robot?.accountFault) lacks.push(robot.accountFault)
  const whose = robot === null ? '' : `works on ${robot.agent}, which `
  if (robot?.isAgentOn === false) lacks.push(`${whose}is switched off`)
  if (!agent.connected) lacks.push(`${whose}is out of reach`)
  if (agent.draining) lacks.push(`${whose}is draining`)
  if (agent.full) lacks.push(`${whose}has no room on its disk`)
  if (robot === null && agent.slots < run.slots) lacks.push(`has ${agent.slots} of ${run.slots} slots`)
  if (!agent.abilities.includes(run.kind)) lacks.push(`cannot carry out ${run.kind}`)
  if (run.minVersion !== null && compareVersions(agent.version, run.minVersion) < 0) {
    lacks.push(`has version ${agent.version}, needs ${run.minVersion}`)
  }
  if (run.account !== null && !agent.accounts.includes(run.account)) lacks.push(`has no account ${run.account}`)
  return lacks
}

/** What is seen at once of a place that is not asked for. */
const fitsAtOnce = (target: Target, { pools, robot }: AgentState): boolean =>
  'pool' in target ? pools[target.pool] === true : isRobotTarget(target) === (robot !== null)

/** The same as a yes or no: most agents are in other pools, which is seen at once. */
export const isEligible = (run: ReadyRun, agent: AgentState): boolean =>
  fitsAtOnce(run.target, agent) && whatLacks(run, agent).length === 0

/** Whether a run only waits for an agent to be reached: none is eligible, and one or more would be if they called again. */
export function waitsForReach(run: ReadyRun, agents: readonly AgentState[]): boolean {
  let wouldFit = false
  for (const agent of agents) {
    if (whatLacks(run, { ...agent, connected: true }).length > 0) continue
    if (agent.connected) return false
    wouldFit = true
  }
  return wouldFit
}

/** Runs with the same requirement have the same eligible agents. */
export function requirementKey(run: ReadyRun): string {
  const { target, kind, slots, minVersion, account, desk } = run
  // The usual case, written out: it is asked for each run that becomes ready.
  if ('pool' in target && minVersion === null && account === null) return `${slots} ${kind} ${target.pool}`
  const { labels } = wantedBy(target)
  const where = labels ? Object.entries(labels).sort(([a], [b]) => (a < b ? -1 : 1)) : target
  // What a person said of one run holds for no other.
  const said = desk ? [desk.live?.how === 'agreed' ? desk.live.robot : null, desk.answers] : []
  return JSON.stringify([isRobotTarget(target), where, kind, slots, minVersion, account, ...said])
}
