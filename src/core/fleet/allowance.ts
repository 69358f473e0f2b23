/** What an allowance is of. */
export const ALLOWED = ['slots', 'attended', 'unattended'] as const
export type Allowed = (typeof ALLOWED)[number]

export const ALLOWED_WORDS: Readonly<Record<Allowed, string>> = {
  slots: 'slots',
  attended: 'attended robots',
  unattended: 'unattended robots',
}

/** No lock is called like this: names of locks have no spaces. */
const PREFIX = 'allowance '

/** What dispatch knows an allowance by: it counts it like a lock. @param area path of titles; null: everything */
export const allowanceLock = (what: Allowed, area: string | null): string =>
  `${PREFIX}${ALLOWED_WORDS[what]}${area === null ? '' : ` in ${area}`}`

/** Of what there are only so many, in words: `slots in Sailing`; null: this is a lock that somebody made. */
export const allowanceOf = (lock: string): string | null => (lock.startsWith(PREFIX) ? lock.slice(PREFIX.length) : null)
