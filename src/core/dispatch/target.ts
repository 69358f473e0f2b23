/** Where a run may go: one agent by name, the agents of a pool, or any agent that carries all of these labels. */
type AgentTarget =
  { readonly agent: string } | { readonly pool: string } | { readonly labels: Readonly<Record<string, string>> }
/** Which robot may take a robot task: one by name, those of a pool, or any that carries all of these labels. */
export type RobotTarget =
  | { readonly robot: string }
  | { readonly robotPool: string }
  | { readonly robotLabels: Readonly<Record<string, string>> }
export type Target = AgentTarget | RobotTarget

/** Whether it is a robot task: a robot takes it, and no slot of an agent. */
export const isRobotTarget = (target: Target): target is RobotTarget =>
  'robot' in target || 'robotPool' in target || 'robotLabels' in target

/** What a target asks for, the same three ways for agents and for robots. */
export function wantedBy(target: Target): {
  readonly name?: string
  readonly pool?: string
  readonly labels?: Readonly<Record<string, string>>
} {
  if ('agent' in target) return { name: target.agent }
  if ('pool' in target) return { pool: target.pool }
  if ('labels' in target) return { labels: target.labels }
  if ('robot' in target) return { name: target.robot }
  return 'robotPool' in target ? { pool: target.robotPool } : { labels: target.robotLabels }
}

/** Whether a target means this agent or robot, whatever state it is in. */
export function isMeant(
  target: Target,
  of: {
    readonly name: string
    readonly isRobot: boolean
    /** Those in which its membership is on. */
    readonly pools: readonly string[]
    readonly labels: Readonly<Record<string, string>>
  },
): boolean {
  const { name, pool, labels } = wantedBy(target)
  return (
    isRobotTarget(target) === of.isRobot &&
    (name === undefined || name === of.name) &&
    (pool === undefined || of.pools.includes(pool)) &&
    Object.entries(labels ?? {}).every(([key, value]) => of.labels[key] === value)
  )
}

/** Where, in words. */
export function targetWords(target: Target | null): string {
  if (target === null) return 'as its steps say'
  const { name, pool, labels = {} } = wantedBy(target)
  const what = isRobotTarget(target) ? 'robot' : 'any'
  if (name !== undefined) return isRobotTarget(target) ? `robot ${name}` : name
  if (pool !== undefined) return isRobotTarget(target) ? `robots of ${pool}` : `pool ${pool}`
  return `${what} with ${Object.entries(labels)
    .map(([key, value]) => `${key}=${value}`)
    .join(', ')}`
}
