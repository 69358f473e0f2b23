/** Deeper than anything has reason to be, and shallow enough for whatever walks it. */
export const MOST_NESTED = 500

/** Whether a value read from JSON nests deeper than that, so that what walks through it might run out of stack. Looks no deeper itself. */
export const isTooDeep = (value: unknown, left = MOST_NESTED): boolean =>
  typeof value === 'object' &&
  value !== null &&
  (left === 0 || Object.values(value).some((inner) => isTooDeep(inner, left - 1)))
