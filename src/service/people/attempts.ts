import { createHash, createHmac, randomBytes } from 'node:crypto'
import { execute, many } from '@/store/db'
import { keyFor } from '@/store/seal'
import { Problem } from '@/service/base/problem'

/** What is counted; a key of one kind says nothing about the same key of another. */
export type AttemptKind =
  | 'sign-in'
  | 'sign-in-address'
  | 'sign-in-account'
  | 'set-up'
  | 'confirm'
  | 'second'
  | 'elsewhere'
  | 'work'
  | 'refusal'
  | 'runs'
  | 'letter'

const WINDOW_SECONDS = 15 * 60

/**
 * Counts one more of each and returns how many it makes since its window began: one statement, so that however many come at once each sees another number.
 *
 * @param windowSeconds after so long the count begins anew
 */
export async function countAttempts(
  keys: readonly { readonly kind: AttemptKind; readonly key: string }[],
  windowSeconds = WINDOW_SECONDS,
): Promise<number[]> {
  const rows = await many<{ kind: string; key: string; times: number }>(
    null,
    `INSERT INTO attempt_counts AS c (kind, key)
     SELECT * FROM unnest($1::text[], $2::text[]) AS u(kind, key) ORDER BY kind, key
     ON CONFLICT (kind, key) DO UPDATE SET
       times = CASE WHEN c.since < now() - make_interval(secs => $3) THEN 1 ELSE c.times + 1 END,
       since = CASE WHEN c.since < now() - make_interval(secs => $3) THEN now() ELSE c.since END
     RETURNING kind, key, times`,
    [keys.map(({ kind }) => kind), keys.map(({ key }) => key), windowSeconds],
  )
  return keys.map(({ kind, key }) => rows.find((row) => row.kind === kind && row.key === key)?.times ?? 1)
}

/** What went well does not count. */
export async function forgetAttempts(
  keys: readonly { readonly kind: AttemptKind; readonly key: string }[],
): Promise<void> {
  await execute(
    null,
    `UPDATE attempt_counts c SET times = times - 1 FROM unnest($1::text[], $2::text[]) AS u(kind, key) WHERE c.kind = u.kind AND c.key = u.key AND c.times > 0`,
    [keys.map(({ kind }) => kind), keys.map(({ key }) => key)],
  )
}

export async function forgetOldAttempts(): Promise<void> {
  await execute(null, `DELETE FROM attempt_counts WHERE since < now() - interval '1 day'`)
}

/**
 * A slower way in: whoever has to be told from a machine that guesses does a piece of work that takes a browser a second and a guesser as long for each guess (hashcash: Back 2002).
 * A challenge is signed, good for some minutes, and for one try.
 */
const CHALLENGE_MINUTES = 10
const LEAST_BITS = 16
const MOST_BITS = 22

export interface Work {
  readonly challenge: string
  /** Leading zero bits that SHA-256 of `challenge.proof` must have. */
  readonly bits: number
}

const sign = (text: string): string => createHmac('sha256', keyFor('sign-in work')).update(text).digest('base64url')

/** The more tries there were, the more work: a bit for every eight. */
export function makeWork(account: string, tries: number): Work {
  const bits = Math.min(MOST_BITS, LEAST_BITS + Math.floor(tries / 8))
  const text = `${bits}.${Date.now() + CHALLENGE_MINUTES * 60_000}.${randomBytes(9).toString('base64url')}`
  return { challenge: `${text}.${sign(`${text} ${account}`)}`, bits }
}

/** Whether the work was done for this account, now, and for the first time. */
export async function isWorkDone(
  account: string,
  proof: { readonly challenge: string; readonly nonce: string },
): Promise<boolean> {
  const [bits = '', until = '', salt = '', signature = ''] = proof.challenge.split('.')
  if (signature !== sign(`${bits}.${until}.${salt} ${account}`) || Number(until) < Date.now()) return false
  const digest = createHash('sha256').update(`${proof.challenge}.${proof.nonce}`).digest()
  if (leadingZeros(digest) < Number(bits)) return false
  const [times = 2] = await countAttempts([{ kind: 'work', key: proof.challenge }])
  return times === 1
}

function leadingZeros(bytes: Uint8Array): number {
  let zeros = 0
  for (const byte of bytes) {
    if (byte !== 0) return zeros + Math.clz32(byte) - 24
    zeros += 8
  }
  return zeros
}

/** Refused until some work is done; a program of ours does it by itself. */
export const workFirst = (work: Work): Problem =>
  new Problem(
    'too-many-attempts',
    'After too many wrong attempts signing in takes a moment of computing first. Try again; this page does it by itself.',
    [],
    { work },
  )
