/** One thing that waits, and what it costs to take it. */
interface Item<T> {
  readonly value: T
  readonly cost: number
}

interface Lane<T> {
  readonly items: Item<T>[]
  /** Cost of what waits in it. */
  cost: number
  /** What it may still take in this round, and is owed from earlier ones. */
  credit: number
}

/**
 * What many senders want done, taken in turn: each sender has a lane of its own, and a batch takes from the lanes in rounds, `share` of cost from each (deficit round robin: Shreedhar and
 * Varghese, SIGCOMM 1995). So however much one sender has waiting, another's next item is at most a round away. Within a lane the order stays.
 */
export class FairQueue<Sender extends object, T> {
  /** In the order of their turns: who has had one goes to the end. */
  private readonly lanes = new Map<Sender, Lane<T>>()
  private total = 0

  /** @param share cost that a lane may take in one round */
  constructor(private readonly share: number) {}

  add(sender: Sender, value: T, cost: number): void {
    const lane = this.lanes.get(sender) ?? { items: [], cost: 0, credit: 0 }
    this.lanes.set(sender, lane)
    lane.items.push({ value, cost })
    lane.cost += cost
    this.total += cost
  }

  /** Puts back what could not be done, before everything else of its sender. */
  putBack(sender: Sender, values: readonly { readonly value: T; readonly cost: number }[]): void {
    const lane = this.lanes.get(sender) ?? { items: [], cost: 0, credit: 0 }
    this.lanes.set(sender, lane)
    lane.items.unshift(...values)
    for (const { cost } of values) {
      lane.cost += cost
      this.total += cost
    }
  }

  /** Forgets everything of this sender. */
  drop(sender: Sender): void {
    this.total -= this.lanes.get(sender)?.cost ?? 0
    this.lanes.delete(sender)
  }

  /** The next batch: at most `most` items and, unless a single one is larger, `mostCost` of cost. */
  take(most: number, mostCost: number): { sender: Sender; value: T; cost: number }[] {
    const batch: { sender: Sender; value: T; cost: number }[] = []
    let cost = 0
    while (this.lanes.size > 0 && batch.length < most && cost < mostCost) {
      const [sender, lane] = this.lanes.entries().next().value as [Sender, Lane<T>]
      lane.credit += this.share
      let count = 0
      while (count < lane.items.length && batch.length < most && cost < mostCost) {
        const item = lane.items[count] as Item<T>
        if (item.cost > lane.credit) break
        lane.credit -= item.cost
        lane.cost -= item.cost
        this.total -= item.cost
        cost += item.cost
        batch.push({ sender, ...item })
        count++
      }
      lane.items.splice(0, count)
      this.lanes.delete(sender)
      // An empty lane keeps no credit: nobody saves up for a flood.
      if (lane.items.length > 0) this.lanes.set(sender, lane)
    }
    return batch
  }

  get isEmpty(): boolean {
    return this.lanes.size === 0
  }

  /** Cost of everything that waits. */
  get waitingCost(): number {
    return this.total
  }

  /** Cost of what waits of this sender. */
  costOf(sender: Sender): number {
    return this.lanes.get(sender)?.cost ?? 0
  }
}
