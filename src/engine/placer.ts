import { Board, type Place } from '@/core/dispatch'
import { allOrEach, wordsOf } from '@/service/base/each-alone'
import { allowancesNow } from '@/service/fleet/allowances'
import {
  fleetForDispatch,
  heldAt,
  lockUnits,
  readyRuns,
  readyVersions,
  runningWork,
  type FleetRow,
} from '@/service/runs/dispatch-input'
import { failRuns } from '@/service/runs/effects'
import { handOut } from '@/service/runs/hand-out'
import { LeadershipLost } from '@/service/runs/leadership'

/** At most this many hand-outs in one transaction. */
const MOST_IN_ONE = 500

interface Known {
  readonly place: Place
  readonly agentId: number
  readonly robotId: number | null
  /** What is known of it, to see whether something changed. */
  readonly text: string
}

const placeOf = ({ name, robot }: FleetRow): Place => (robot === null ? name : { robot: name })
const keyOf = (place: Place): string => (typeof place === 'string' ? `agent ${place}` : `robot ${place.robot}`)

/**
 * The leader's picture of what is ready and where there is room. Each look at the database brings it up to date: of ready runs only those that are
 * new or changed are read whole, so that thousands of waiting runs cost little.
 */
export class Placer {
  private readonly board = new Board()
  private readonly versions = new Map<number, number>()
  /** Agents and robots, by where they stand on the board. */
  private readonly places = new Map<string, Known>()
  private locks = ''

  constructor(private readonly epoch: number) {}

  /** One placing. Returns how many runs were handed out. */
  async placeOnce(): Promise<number> {
    await this.lookAtRuns()
    if (this.versions.size === 0) return 0
    await this.lookAtFleet()
    const { starts } = this.board.place(Date.now())
    const wanted = starts.slice(0, MOST_IN_ONE).flatMap(({ number, agent, robot }) => {
      const known = this.places.get(keyOf(robot === undefined ? agent : { robot }))
      return known ? [{ runId: number, agentId: known.agentId, robotId: known.robotId }] : []
    })
    if (wanted.length === 0) return 0
    const done = await allOrEach(
      wanted,
      (some) => handOut(this.epoch, some),
      (one, error) =>
        error instanceof LeadershipLost
          ? Promise.reject(error)
          : failRuns([{ id: one.runId, reason: `It could not be handed out: ${wordsOf(error)}` }]),
    )
    const ids = done.flatMap((some) => [...some])
    for (const id of ids) this.forget(id)
    return ids.length
  }

  private async lookAtRuns(): Promise<void> {
    const now = await readyVersions()
    const present = new Set(now.map((run) => run.id))
    for (const id of this.versions.keys()) if (!present.has(id)) this.forget(id)
    const changed = now.filter((run) => this.versions.get(run.id) !== run.version)
    if (changed.length === 0) return
    const versionOf = new Map(changed.map((run) => [run.id, run.version]))
    // Beyond some hundreds it is cheaper to read all than to name each.
    for (const run of await readyRuns(changed.length > 500 ? null : changed.map((r) => r.id))) {
      const version = versionOf.get(run.number)
      if (version === undefined) continue
      this.board.putRun(run)
      this.versions.set(run.number, version)
    }
  }

  private forget(id: number): void {
    this.board.removeRun(id)
    this.versions.delete(id)
  }

  /** Agents and what runs on them. An agent is put on the board anew only when something about it changed. */
  private async lookAtFleet(): Promise<void> {
    const allowed = allowancesNow()
    const [fleet, running, locks] = await Promise.all([fleetForDispatch(), runningWork(allowed), lockUnits(allowed)])
    const units = JSON.stringify(locks)
    if (units !== this.locks) this.board.setLocks(locks)
    this.locks = units
    const held = heldAt(running)
    const present = new Set(fleet.map((row) => keyOf(placeOf(row))))
    for (const [key, { place }] of this.places) {
      if (present.has(key)) continue
      this.board.removeAgent(place)
      this.places.delete(key)
    }
    for (const row of fleet) {
      const { id: agentId, robotId, ...state } = row
      const place = placeOf(row)
      const known = { ...state, running: held(row) }
      const text = JSON.stringify(known)
      const before = this.places.get(keyOf(place))
      this.places.set(keyOf(place), { place, agentId, robotId, text })
      if (before?.text !== text) this.board.putAgent(known)
    }
  }

  /** Jobs were switched off or on: what is known of ready runs is read again. */
  forgetRuns(): void {
    for (const id of [...this.versions.keys()]) this.forget(id)
  }
}
