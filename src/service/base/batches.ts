import { allOrEach } from './each-alone'

interface Waiting<Item, Result> {
  readonly item: Item
  readonly resolve: (result: Result) => void
  readonly reject: (error: unknown) => void
}

/**
 * Does for many at once what each would do alone: whoever asks while it is being done for others is done with the next. When it fails for all of them it is done for each by itself, so that only
 * those fail that must.
 */
export class Batches<Item, Result> {
  private waiting: Waiting<Item, Result>[] = []
  private isBusy = false

  /**
   * @param work results in the order of the items
   * @param most items at once
   */
  constructor(
    private readonly work: (items: readonly Item[]) => Promise<readonly Result[]>,
    private readonly most = 100,
  ) {}

  do(item: Item): Promise<Result> {
    return new Promise((resolve, reject) => {
      this.waiting.push({ item, resolve, reject })
      if (!this.isBusy) void this.run()
    })
  }

  get isIdle(): boolean {
    return !this.isBusy
  }

  private async run(): Promise<void> {
    this.isBusy = true
    while (this.waiting.length > 0) {
      const now = this.waiting.splice(0, this.most)
      const doThese = async (these: readonly Waiting<Item, Result>[]): Promise<void> => {
        const results = await this.work(these.map(({ item }) => item))
        these.forEach(({ resolve }, i) => resolve(results[i] as Result))
      }
      await allOrEach(now, doThese, async ({ reject }, error) => reject(error)).catch((error: unknown) =>
        now.forEach(({ reject }) => reject(error)),
      )
    }
    this.isBusy = false
  }
}
