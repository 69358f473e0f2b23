import { ApiProblem } from './api'

/** A browser says in its own words why it made none. */
export const asProblem = (error: unknown): unknown =>
  error instanceof ApiProblem
    ? error
    : new ApiProblem(0, 'passkey', 'The passkey was not used', 'It was cancelled, or took too long. Try again.', [], {})
