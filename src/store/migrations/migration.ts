/** Runs a statement in the transaction of the migrations; rows of a query. */
export type Run = <Row>(sql: string, bind?: readonly unknown[]) => Promise<Row[]>

/** One step of the schema: plain SQL, run once; all that are new in one transaction. */
export interface Migration {
  readonly name: string
  readonly up: string
  /** What SQL cannot do, after it. */
  readonly then?: (run: Run) => Promise<void>
}
