import type { Best } from './best'
import { boardOf, movingOf } from './board'
import { Crowding } from './crowding'
import type { Demand } from './demand'

/** A goal is given up after so many moves without coming nearer, and each time that all were given up after more. */
const PATIENCE = 1500
/** How often a goal lets another pool rise so that a dearer peak may sink. */
const TRADES = 0.3
/** After a goal was given up the next begins from the best; one in so many from where the search is. */
const STAYS = 4

/**
 * Tabu search (Glover 1989) for one better peak at a time: a goal says how high each pool may be, moves go where minutes are too full (min-conflicts, Minton et al. 1992), and when none is,
 * the goal is reached and the next one lower: quick to lower single peaks, and at nights with few triggers.
 */
export class Tabu {
  private readonly crowding: Crowding
  private readonly moving: readonly number[]
  private left = 0
  private nearest = Infinity
  private goalPool = -1
  private patience = PATIENCE
  /** Goals given up since the best was found, whoever found it. */
  private givenUp = 0
  private known = -1

  constructor(
    private readonly demand: Demand,
    private readonly best: Best,
    private readonly random: () => number,
  ) {
    this.moving = movingOf(demand)
    this.crowding = new Crowding(demand, best.answer, random)
  }

  /** Nothing better has come though every pool was tried often. */
  get isStuck(): boolean {
    return this.moving.length === 0 || this.givenUp > 12 * Math.max(1, this.demand.pools.length)
  }

  /** So many moves, one after the other. */
  step(moves: number): void {
    if (this.moving.length === 0) return
    for (let n = 0; n < moves; n++) {
      if (this.left <= 0 && !this.aim()) return
      const crowd = this.crowding.move()
      this.left--
      if (crowd < this.nearest) {
        this.nearest = crowd
        this.left = this.patience
      }
      if (crowd === 0) this.reached()
      else if (this.left <= 0) this.givenUp++
    }
  }

  private reached(): void {
    this.left = 0
    const { answer } = this.crowding
    this.best.offer(answer, boardOf(this.demand, answer))
  }

  /** Sets the next goal; false: no pool can be lower. */
  private aim(): boolean {
    if (this.known !== this.best.times) {
      this.known = this.best.times
      this.givenUp = 0
      this.patience = PATIENCE
    }
    const { pools } = this.demand
    const strained = pools.flatMap(({ slots }, pool) => ((this.best.peaks[pool] as number) > slots ? [pool] : []))
    const candidates =
      strained.length > 0 && (this.best.score.strain > 0 || this.random() < 0.5)
        ? strained
        : pools.flatMap((_, pool) => ((this.best.peaks[pool] as number) > 0 ? [pool] : []))
    // Once every strained pool was tried in vain the others have their turn.
    const list = this.givenUp > 2 * candidates.length ? pools.map((_, pool) => pool) : candidates
    if (list.length === 0) return false
    this.goalPool = list[(list.indexOf(this.goalPool) + 1) % list.length] as number
    if (this.givenUp > 0 && this.givenUp % pools.length === 0) this.patience *= 1.3
    this.crowding.setGoal(this.goalFor(this.goalPool))
    if (this.givenUp % STAYS !== STAYS - 1) this.crowding.put(this.best.answer)
    this.left = this.patience
    this.nearest = Infinity
    return true
  }

  /** One pool lower by a slot; others may fill what is no strain where that is what counts, or one may rise for a dearer peak. */
  private goalFor(pool: number): number[] {
    const { pools } = this.demand
    const isStrained = (this.best.peaks[pool] as number) > (pools[pool]?.slots as number)
    const goal = pools.map(({ slots }, other) => {
      const peak = this.best.peaks[other] as number
      if (other === pool) return peak - 1
      return isStrained ? Math.max(peak, slots) : peak
    })
    if (isStrained || this.random() > TRADES) return goal
    const own = pools[pool]?.slots as number
    const cheaper = pools.flatMap(({ slots }, other) =>
      other !== pool && slots > own && (goal[other] as number) < slots ? [other] : [],
    )
    if (cheaper.length === 0) return goal
    const other = cheaper[Math.floor(this.random() * cheaper.length)] as number
    goal[other] = (goal[other] as number) + 1
    return goal
  }
}
