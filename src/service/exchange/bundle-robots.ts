import type { Bundle, BundleRobot } from '@/core/bundle/schema'
import type { Actor } from '@/service/base/actor'
import { invalid } from '@/service/base/problem'
import { addRobotIn, changeRobotIn } from '@/service/fleet/robots'
import { readRobots } from '@/service/fleet/robot-facts'
import { many, type Tx } from '@/store/db'
import { sameJson, type ImportLine } from './bundle-parts'

/** Robots as a file has them. What is as it is by default is left out; an account stands there by its name, its secret never. */
export async function robotsOut(
  tx: Tx | null = null,
): Promise<(Pick<BundleRobot, 'id' | 'agent' | 'account'> & Partial<BundleRobot>)[]> {
  return (await readRobots(null, tx)).map((robot) => ({
    id: robot.name,
    agent: robot.agent,
    account: robot.account,
    ...(robot.kind === 'unattended' ? {} : { kind: robot.kind }),
    ...(robot.pools.length > 0 ? { pools: robot.pools.map(({ name }) => name) } : {}),
    ...(robot.earliest === null ? {} : { earliest: robot.earliest }),
    ...(robot.latest === null ? {} : { latest: robot.latest }),
    ...(robot.calendar === null ? {} : { calendar: robot.calendar }),
    ...(Object.keys(robot.labels).length > 0 ? { labels: robot.labels } : {}),
    ...(robot.notes ? { notes: robot.notes } : {}),
    ...(robot.active ? {} : { enabled: false }),
  }))
}

/** Registers what is new, and changes what is there; the agents and accounts that a file names must be here. */
export async function importRobots(tx: Tx, actor: Actor, { robots }: Bundle, lines: ImportLine[]): Promise<void> {
  if (robots.length === 0) return
  const idsIn = async (sql: string): Promise<Map<string, number>> =>
    new Map((await many<{ id: number; name: string }>(tx, sql)).map(({ id, name }) => [name, id]))
  const agents = await idsIn('SELECT id, name FROM agents WHERE credential_hash IS NOT NULL')
  const accounts = await idsIn('SELECT id, name FROM accounts')
  const pools = await idsIn('SELECT id, name FROM pools')
  const known = await idsIn('SELECT id, name FROM robots WHERE removed_at IS NULL')
  const before = new Map((await robotsOut(tx)).map((robot) => [robot.id, robot]))
  for (const [i, robot] of robots.entries()) {
    const { id: name, agent, account, enabled, earliest = null, latest = null, calendar = null, notes = '' } = robot
    const { kind, labels, pools: names } = robot
    const [agentId, accountId] = [agents.get(agent), accounts.get(account)]
    if (agentId === undefined) throw invalid(`robots[${i}].agent`, `There is no agent ${agent} here.`)
    if (accountId === undefined)
      throw invalid(
        `robots[${i}].account`,
        `There is no account ${account} here: a file has no secrets, so add it first.`,
      )
    const poolIds = names.map((pool) => pools.get(pool) as number)
    const terms = { kind, earliest, latest, calendar, labels, poolIds, notes }
    const id = known.get(name)
    const old = before.get(name)
    const isSame = old !== undefined && sameJson(complete(old), complete(robot))
    if (id === undefined) {
      const made = await addRobotIn(tx, actor, {
        name,
        agentId,
        account: { id: accountId },
        personId: null,
        ...terms,
      })
      if (!enabled) await changeRobotIn(tx, actor, made.id, { active: false })
    } else if (old?.agent !== agent)
      throw invalid(
        `robots[${i}].agent`,
        `${name} works on ${old?.agent}: remove it there before it is registered elsewhere.`,
      )
    else if (!isSame) await changeRobotIn(tx, actor, id, { ...terms, accountId, active: enabled })
    lines.push({ kind: 'robot', id: name, what: id === undefined ? 'added' : isSame ? 'same' : 'changed' })
  }
}

/** With all that it may leave out. */
const complete = (robot: Partial<BundleRobot>): object => ({
  ...{ kind: 'unattended', earliest: null, latest: null, calendar: null, labels: {}, notes: '', enabled: true },
  ...robot,
  pools: [...(robot.pools ?? [])].sort(),
})
