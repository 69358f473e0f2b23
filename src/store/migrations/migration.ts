/** One step of the schema: plain SQL, run once, in a transaction of its own. */
export interface Migration {
  readonly name: string
  readonly up: string
}
