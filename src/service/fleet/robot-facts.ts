import { hoursSince, hoursWords, isInHours, outOfHours } from '@/core/fleet/hours'
import { robotState, type RobotState } from '@/core/fleet/robot-state'
import { zoneOf, type Zone } from '@/core/timing/zone'
import { config } from '@/store/config'
import { many, type Tx } from '@/store/db'
import { timingState, type TimingState } from '@/service/base/timing-cache'

/** A robot as it is stored, with what its agent and its account say of it. */
export interface RobotFacts {
  readonly id: number
  readonly name: string
  readonly agentId: number
  readonly agent: string
  readonly host: string
  readonly accountId: number
  readonly account: string
  readonly userName: string
  readonly kind: 'attended' | 'unattended'
  readonly earliest: string | null
  readonly latest: string | null
  readonly calendar: string | null
  readonly labels: Record<string, string>
  readonly active: boolean
  readonly activeAt: Date
  readonly notes: string
  readonly registeredBy: string
  readonly registeredAt: Date
  readonly lastStartAt: Date | null
  readonly isTrying: boolean
  readonly triedAt: Date | null
  /** What kept it from signing in; null: it did, or it was not tried yet. */
  readonly tryFault: string | null
  /** Until when its account's secret is good; null: for ever. */
  readonly goodUntil: Date | null
  readonly isAgentOn: boolean
  readonly draining: boolean
  readonly full: boolean
  readonly connected: boolean
  readonly connectedAt: Date | null
  readonly contactAt: Date | null
  readonly version: string
  readonly abilities: string[]
  readonly pools: readonly { readonly name: string; readonly active: boolean; readonly on: boolean }[]
  /** What it does now. */
  readonly runId: number | null
  readonly busySince: Date | null
  readonly lastEndAt: Date | null
  readonly personId: number | null
  readonly person: string | null
  readonly deskSince: Date | null
}

/** Whether a robot `b` is meant by a target, as `isMeant` of core/dispatch says it: its name, one of its pools, its labels. @param target SQL of the stored target */
export const robotIsMeant = (target: string): string =>
  `(b.name = ${target}->>'robot' OR b.labels @> (${target}->'robotLabels')
    OR EXISTS (SELECT FROM robot_pools m JOIN pools p ON p.id = m.pool_id WHERE m.robot_id = b.id AND p.name = ${target}->>'robotPool'))`

/** All robots, or one. Read at each placing: in plain joins, a list beside. */
export async function readRobots(id: number | null = null, tx: Tx | null = null): Promise<RobotFacts[]> {
  const [robots, memberships] = await Promise.all([
    many<Omit<RobotFacts, 'pools'>>(
      tx,
      `SELECT b.id, b.name, b.agent_id AS "agentId", a.name AS agent, a.host, b.account_id AS "accountId", c.name AS account, c.user_name AS "userName", b.kind,
              b.earliest, b.latest, b.calendar, b.labels, b.active, b.active_at AS "activeAt", b.notes, b.registered_by AS "registeredBy", b.registered_at AS "registeredAt",
              b.last_start_at AS "lastStartAt", b.try_token IS NOT NULL AS "isTrying", b.tried_at AS "triedAt", b.try_fault AS "tryFault", c.good_until AS "goodUntil",
              a.active AS "isAgentOn", a.draining, k.full_since IS NOT NULL AS full, a.version, a.abilities,
              coalesce(a.credential_hash IS NOT NULL AND k.engine_id IS NOT NULL AND k.last_contact_at > now() - make_interval(secs => $2), false) AS connected,
              k.connected_at AS "connectedAt", k.last_contact_at AS "contactAt", r.id AS "runId", r.started_at AS "busySince",
              b.person_id AS "personId", q.name AS person, b.desk_since AS "deskSince",
              (SELECT t.ended_at FROM attempts t WHERE t.robot_id = b.id ORDER BY t.handed_at DESC LIMIT 1) AS "lastEndAt"
         FROM robots b JOIN agents a ON a.id = b.agent_id JOIN accounts c ON c.id = b.account_id LEFT JOIN agent_contacts k ON k.agent_id = a.id
         LEFT JOIN people q ON q.id = b.person_id AND q.active LEFT JOIN runs r ON r.robot_id = b.id AND r.state = 'running'
        WHERE b.removed_at IS NULL AND ($1::bigint IS NULL OR b.id = $1) ORDER BY b.name`,
      [id, config().awaySeconds],
    ),
    many<{ robotId: number; name: string; active: boolean; on: boolean }>(
      tx,
      `SELECT m.robot_id AS "robotId", p.name, m.active, m.active AND p.active AS on FROM robot_pools m JOIN pools p ON p.id = m.pool_id
        WHERE $1::bigint IS NULL OR m.robot_id = $1 ORDER BY p.name`,
      [id],
    ),
  ])
  const poolsOf = new Map<number, { name: string; active: boolean; on: boolean }[]>(robots.map((one) => [one.id, []]))
  for (const { robotId, ...pool } of memberships) poolsOf.get(robotId)?.push(pool)
  return robots.map((robot) => ({ ...robot, pools: poolsOf.get(robot.id) ?? [] }))
}

/** What the clock says of a robot. */
interface Clock {
  /** Its hours in words, if it is out of them. */
  readonly outOfHours: string | null
  /** Since when it is in its hours, or out of them, milliseconds; null: for a long time. */
  readonly sinceMs: () => number | null
}

function clockOf(robot: RobotFacts, state: TimingState, zone: Zone, nowMs: number): Clock {
  const words = hoursWords(robot)
  const isDay = daysOf(robot, state)
  // A calendar that is gone or cannot be read allows no day: nothing is done on days that nobody meant.
  if (isDay === undefined) return { outOfHours: `${words}: that calendar cannot be read`, sinceMs: () => null }
  const at = Math.floor(nowMs / 1000)
  return {
    outOfHours: isInHours(robot, isDay, zone, at) ? null : words,
    sinceMs: () => {
      const since = hoursSince(robot, isDay, zone, at)
      return since === null ? null : since * 1000
    },
  }
}

/** Why its account does not work now, in words that go on from the robot's name; null: nothing says so. */
function accountFaultOf(
  { tryFault, triedAt, goodUntil, account }: Pick<RobotFacts, 'tryFault' | 'triedAt' | 'goodUntil' | 'account'>,
  nowMs: number,
): { words: string; sinceMs: number } | null {
  if (goodUntil !== null && goodUntil.getTime() <= nowMs)
    return {
      words: `has an account, ${account}, whose secret was good until ${goodUntil.toISOString().slice(0, 16).replace('T', ' ')} UTC`,
      sinceMs: goodUntil.getTime(),
    }
  return tryFault === null
    ? null
    : { words: `could not sign in as ${account}: ${tryFault}`, sinceMs: triedAt?.getTime() ?? nowMs }
}

/** What keeps each of these robots from work by the clock or its account: enough for a placing. */
export async function robotFaults(
  robots: readonly RobotFacts[],
  nowMs: number,
): Promise<{ outOfHours: string | null; accountFault: string | null }[]> {
  if (robots.length === 0) return []
  const state = await timingState(null)
  const zone = zoneOf(config().zone) as Zone
  return robots.map((robot) => ({
    outOfHours: clockOf(robot, state, zone, nowMs).outOfHours,
    accountFault: accountFaultOf(robot, nowMs)?.words ?? null,
  }))
}

/** When each of these robots is out of its hours in a stretch, seconds since the epoch; all of it where its calendar cannot be read. */
export async function robotsClosed(
  robots: readonly RobotFacts[],
  from: number,
  to: number,
): Promise<{ from: number; to: number }[][]> {
  if (robots.length === 0) return []
  const state = await timingState(null)
  const zone = zoneOf(config().zone) as Zone
  return robots.map((robot) => {
    const days = daysOf(robot, state)
    return days === undefined ? [{ from, to }] : outOfHours(robot, days, zone, from, to)
  })
}

/** The days on which it may work; null: every day; undefined: its calendar is gone or cannot be read. */
function daysOf({ calendar }: RobotFacts, state: TimingState): ((day: number) => boolean) | null | undefined {
  const days = calendar === null ? null : state.timings.calendarDays(calendar)
  return days && ((day: number): boolean => days.has(day))
}

/** What holds of each robot at this moment. */
export interface RobotNow {
  readonly outOfHours: string | null
  readonly accountFault: string | null
  readonly state: RobotState
  readonly since: Date | null
}

/** The state of each of these robots, worked out at once: calendars are read only when they changed. */
export async function robotsNow(robots: readonly RobotFacts[], nowMs: number): Promise<RobotNow[]> {
  if (robots.length === 0) return []
  const state = await timingState(null)
  const zone = zoneOf(config().zone) as Zone
  return robots.map((robot) => {
    const clock = clockOf(robot, state, zone, nowMs)
    const fault = accountFaultOf(robot, nowMs)
    const { state: what, sinceMs } = robotState({
      offSince: robot.active && robot.isAgentOn ? null : robot.activeAt.getTime(),
      awaySince: robot.connected ? null : (robot.contactAt ?? robot.registeredAt).getTime(),
      outOfHoursSince: clock.outOfHours === null ? null : (clock.sinceMs() ?? robot.registeredAt.getTime()),
      faultSince: fault?.sinceMs ?? null,
      busySince: robot.busySince?.getTime() ?? null,
      readySince: [
        robot.lastEndAt?.getTime() ?? null,
        robot.activeAt.getTime(),
        robot.connectedAt?.getTime() ?? null,
        robot.tryFault === null ? (robot.triedAt?.getTime() ?? null) : null,
        clock.sinceMs(),
      ],
    })
    return {
      outOfHours: clock.outOfHours,
      accountFault: fault?.words ?? null,
      state: what,
      since: sinceMs === null ? null : new Date(sinceMs),
    }
  })
}
