import { seededRandom } from '../stats/random'
import { Annealing } from './annealing'
import { Best, type Answer } from './best'
import { boardOf } from './board'
import type { Demand } from './demand'
import { Tabu } from './tabu'

/** Moves of the annealing for each of the tabu search, which look at more; where many triggers trade peaks for peaks it is the better of the two. */
const annealingMoves = (triggers: number): number => 3 + Math.floor(triggers / 12)

/**
 * The search for the best answer: a greedy start, then two ways of going on that share what they find, in turns. `step` goes on for a while, so that whoever calls can stop at any moment;
 * the same seed and number of steps give the same answer.
 */
export class Search {
  readonly best: Best
  private readonly annealing: Annealing
  private readonly tabu: Tabu

  constructor(
    private readonly demand: Demand,
    seed: number,
  ) {
    const random = seededRandom(seed)
    const answer = new Int32Array(demand.movable.length)
    this.best = new Best(answer, boardOf(demand, answer))
    this.annealing = new Annealing(demand, this.best, random)
    this.annealing.greedy()
    this.tabu = new Tabu(demand, this.best, random)
  }

  /** Nothing better has come for long. */
  get isStuck(): boolean {
    return this.tabu.isStuck
  }

  step(moves: number): void {
    this.tabu.step(moves)
    this.annealing.step(moves * annealingMoves(this.demand.movable.length))
  }

  /** Takes over an answer that somebody else found, if it is better. */
  adopt(answer: Answer): void {
    this.best.offer(answer, boardOf(this.demand, answer))
  }
}
