import { verify } from 'otplib'

/** A code is taken also half a minute before and after its own: clocks differ, and people are slow (RFC 6238, section 5.2). */
const TOLERANCE_SECONDS = 30

/**
 * The step of time, in units of 30 seconds since the epoch, whose code this is (RFC 6238: SHA-1, six digits); undefined: of none that is near, or of one that was taken already.
 *
 * @param after the last step whose code was taken; codes of it and of earlier ones are good no longer
 */
export async function stepOfCode(
  secret: string,
  code: string,
  after: number | null,
  nowMs = Date.now(),
): Promise<number | undefined> {
  const token = code.replaceAll(/\s/g, '')
  if (!/^\d{6}$/.test(token)) return undefined
  const epoch = Math.floor(nowMs / 1000)
  // Beyond what is near nothing is looked for: the package wants such a limit to lie in the window.
  const limit = after === null ? {} : { afterTimeStep: Math.min(after, Math.floor(epoch / 30) + 1) }
  try {
    const read = await verify({ secret, token, epoch, epochTolerance: TOLERANCE_SECONDS, ...limit })
    return read.valid && 'timeStep' in read ? read.timeStep : undefined
  } catch {
    return undefined
  }
}
