/** Whom a request came from, as the web process's own door saw it. */
export interface Caller {
  readonly address: string
  readonly isHttps: boolean
  /** The name that the caller used for us. */
  readonly host: string
}

/** Set by the door on every request, and taken off if a caller brings it along. */
export const CALLER_HEADER = 'x-bugle-caller'

export const writeCaller = (caller: Caller, seal: string): string =>
  `${seal} ${encodeURIComponent(JSON.stringify(caller))}`

/** Null: not written by our door. Without one nothing that a request says of itself is believed. */
export function readCaller(text: string | null | undefined, seal: string | undefined): Caller | null {
  const [given, value, ...more] = text?.split(' ') ?? []
  if (!seal || given !== seal || value === undefined || more.length > 0) return null
  return JSON.parse(decodeURIComponent(value)) as Caller
}
