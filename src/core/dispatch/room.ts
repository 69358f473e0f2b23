interface Fleet {
  readonly free: readonly number[]
  readonly lastStart: readonly number[]
}

/**
 * What is free on each agent, and when it last started something, as a placing uses it up: a copy of what the board says, kept from one placing to the next and renewed only where either of them changed.
 * So a placing costs what is new, not the size of the fleet.
 */
export class Room {
  readonly free: number[] = []
  /** Milliseconds since the epoch; -Infinity: none yet. */
  readonly lastStart: number[] = []
  /** Agents of which copy and board may differ; null: all may. */
  private changed: number[] | null = null

  /** @param board whatever changes there is told to `touch`. */
  constructor(private readonly board: Fleet) {}

  touch(agent: number): void {
    this.changed?.push(agent)
    if (this.changed && this.changed.length > this.board.free.length) this.changed = null
  }

  take(agent: number, slots: number, nowMs: number): void {
    this.free[agent] = (this.free[agent] as number) - slots
    this.lastStart[agent] = nowMs
    this.touch(agent)
  }

  /** As the board says. */
  renew(): this {
    const { board, changed } = this
    if (changed === null) for (let agent = 0; agent < board.free.length; agent++) this.copy(agent)
    else for (const agent of changed) this.copy(agent)
    this.changed = []
    return this
  }

  private copy(agent: number): void {
    this.free[agent] = this.board.free[agent] as number
    this.lastStart[agent] = this.board.lastStart[agent] as number
  }
}
