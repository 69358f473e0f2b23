import { TurnedAway } from '@/service/elsewhere/visit'

/** Back to the door, which says why. */
export function turnedAway(error: unknown): Response {
  if (!(error instanceof TurnedAway)) throw error
  return new Response(null, { status: 302, headers: { location: `/sign-in?turned=${error.why}` } })
}
