/** Every refusal has one stable code; the status and title that go with it stand here and nowhere else. */
const CATALOGUE = {
  'invalid-input': [400, 'Something in the request is not right'],
  'not-signed-in': [401, 'Sign in first'],
  'wrong-credentials': [401, 'E-mail or password is wrong'],
  'not-signed': [401, 'The call is not signed as it must be'],
  'not-allowed': [403, 'Your role may not do this'],
  'confirm-first': [403, 'Show that it is you'],
  'foreign-origin': [403, 'The request came from another site'],
  'not-found': [404, 'There is no such thing'],
  conflict: [409, 'It changed in the meantime'],
  'stale-lease': [409, 'The lease has passed on'],
  'ask-first': [409, 'Say that you mean it'],
  'not-now': [409, 'It cannot be done in this state'],
  'too-much': [422, 'It takes too much to work out'],
  'does-not-fit': [422, 'What it brings does not fit'],
  'too-large': [413, 'The request is too large'],
  'too-many-attempts': [429, 'Too many attempts'],
  'too-many': [429, 'More than your share'],
  'database-away': [503, 'The database does not answer'],
  'version-mismatch': [426, 'The versions do not fit'],
} as const

export type ProblemCode = keyof typeof CATALOGUE

export interface FieldFault {
  /** `definition.inputs[0].name`; empty: the whole request. */
  readonly path: string
  readonly message: string
}

/** An answer that is not the one asked for, told to a person: what happened, what it means, what to do (RFC 9457). */
export class Problem extends Error {
  readonly status: number
  readonly title: string

  constructor(
    readonly code: ProblemCode,
    readonly detail: string,
    readonly errors: readonly FieldFault[] = [],
    /** More for the reader's program, such as the state that won. */
    readonly extra: Readonly<Record<string, unknown>> = {},
  ) {
    super(detail)
    this.name = 'Problem'
    ;[this.status, this.title] = CATALOGUE[code]
  }

  toJSON(): Record<string, unknown> {
    return {
      type: `urn:bugle:problem:${this.code}`,
      title: this.title,
      status: this.status,
      detail: this.detail,
      ...(this.errors.length > 0 ? { errors: this.errors } : {}),
      ...this.extra,
    }
  }
}

export function notFound(what: string, id: number | string): Problem {
  return new Problem('not-found', `There is no ${what} ${id}. It may have been removed.`)
}

export function invalid(path: string, message: string): Problem {
  return new Problem('invalid-input', message, [{ path, message }])
}

/** Refuses with all of these at once, if there are any. */
export function refuse(faults: readonly FieldFault[]): void {
  if (faults.length > 0) throw new Problem('invalid-input', faults.map((fault) => fault.message).join(' '), faults)
}
