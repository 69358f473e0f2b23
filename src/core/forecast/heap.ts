/** A binary heap of instants, each at most once, with what is put down at it. */
export class Agenda<T> {
  private readonly heap: number[] = []
  private readonly at = new Map<number, T[]>()

  /** Infinity: nothing is put down. */
  get first(): number {
    return this.heap[0] ?? Infinity
  }

  add(instant: number, what: T): void {
    const list = this.at.get(instant)
    if (list) {
      list.push(what)
      return
    }
    this.at.set(instant, [what])
    const { heap } = this
    let i = heap.length
    heap.push(instant)
    while (i > 0) {
      const parent = (i - 1) >> 1
      const above = heap[parent] as number
      if (above <= instant) break
      heap[i] = above
      i = parent
    }
    heap[i] = instant
  }

  /** What is put down at the first instant, in the order in which it was; it is taken off. */
  take(): T[] {
    const { heap } = this
    const first = heap[0]
    if (first === undefined) return []
    const last = heap.pop() as number
    if (heap.length > 0) {
      let i = 0
      for (;;) {
        let child = 2 * i + 1
        if (child >= heap.length) break
        if (child + 1 < heap.length && (heap[child + 1] as number) < (heap[child] as number)) child++
        if ((heap[child] as number) >= last) break
        heap[i] = heap[child] as number
        i = child
      }
      heap[i] = last
    }
    const list = this.at.get(first) ?? []
    this.at.delete(first)
    return list
  }
}
