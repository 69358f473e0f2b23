/** What the day line shows ahead: the kept forecast in stretches of a quarter of an hour. */
export interface DayAhead {
  /** null: no forecast was made yet. */
  readonly madeAt: string | null
  readonly from: string
  readonly bucketSeconds: number
  readonly starts: readonly number[]
  /** Mean slots in use by usual lengths, the band of nine in ten samples around it, and slots that what is ready waits for. */
  readonly load: readonly number[]
  readonly p10: readonly number[]
  readonly p90: readonly number[]
  readonly waiting: readonly number[]
  readonly deadlines: readonly {
    readonly triggerId: number
    readonly title: string
    readonly dueAt: string
    /** Share of samples in time. */
    readonly chance: number
    readonly risk: 'amber' | 'red' | null
  }[]
}
