import { boardOf, movingOf, type LoadBoard } from './board'
import type { Answer, Best } from './best'
import type { Choice, Demand } from './demand'

/** Simulated annealing (Kirkpatrick, Gelatt & Vecchi 1983), again and again, hot from where it is or from the best: good at trading one peak for several others. */
export class Annealing {
  private readonly board: LoadBoard
  private readonly answer: Answer
  private readonly moving: readonly number[]
  private energy: number
  private temperature = HOT

  constructor(
    private readonly demand: Demand,
    private readonly best: Best,
    private readonly random: () => number,
  ) {
    this.answer = best.answer.slice()
    this.board = boardOf(demand, this.answer)
    this.moving = movingOf(demand)
    this.energy = this.board.energy()
  }

  private put(i: number, to: number): void {
    const from = this.answer[i] as number
    if (from === to) return
    const { choices } = this.demand.movable[i] as Demand['movable'][number]
    this.board.remove(choices[from] as Choice)
    this.board.add(choices[to] as Choice)
    this.answer[i] = to
  }

  private note(): void {
    this.best.offer(this.answer, this.board)
  }

  private goTo(answer: Answer): void {
    for (const i of this.moving) this.put(i, answer[i] as number)
    this.energy = this.board.energy()
  }

  /** Each trigger in turn to where it lies best, until none has a better place. */
  private descend(): void {
    for (let isBetter = true, rounds = 0; isBetter && rounds < 6; rounds++) {
      isBetter = false
      for (const i of this.moving) {
        const { choices } = this.demand.movable[i] as Demand['movable'][number]
        const from = this.answer[i] as number
        let best = from
        const stride = Math.max(1, Math.floor(choices.length / MOST_LOOKS))
        for (let to = Math.floor(this.random() * stride); to < choices.length; to += stride) {
          if (to === from) continue
          this.put(i, to)
          const energy = this.board.energy()
          if (energy < this.energy - 1e-12) {
            this.energy = energy
            best = to
          }
        }
        this.put(i, best)
        if (best !== from) isBetter = true
      }
      this.note()
    }
  }

  /** From here to the bottom; at the beginning. */
  greedy(): void {
    this.descend()
  }

  /** So many moves, tried one after the other. */
  step(moves: number): void {
    const { random, board, moving } = this
    if (moving.length === 0) return
    const cooling = (COLD / HOT) ** (1 / (MOVES_EACH * moving.length))
    for (let n = 0; n < moves; n++) {
      const i = moving[Math.floor(random() * moving.length)] as number
      const { choices } = this.demand.movable[i] as Demand['movable'][number]
      const from = this.answer[i] as number
      let to = Math.floor(random() * (choices.length - 1))
      if (to >= from) to++
      this.put(i, to)
      const energy = board.energy()
      const worse = energy - this.energy
      if (worse <= 0 || random() < Math.exp(-worse / this.temperature)) {
        this.energy = energy
        if (worse < 0) this.note()
      } else this.put(i, from)
      this.temperature *= cooling
      if (this.temperature < COLD) this.again()
    }
  }

  /** Cold: to the bottom, and hot again, from the best or from where it is. */
  private again(): void {
    this.descend()
    this.temperature = this.random() < 0.5 ? HOT : HOT / 4
    if (this.random() < 0.5) this.goTo(this.best.answer)
  }
}

/** Choices of a trigger that are compared on the way down. */
const MOST_LOOKS = 96
const [HOT, COLD] = [0.1, 0.004]
/** Moves of each trigger from hot to cold. */
const MOVES_EACH = 40
