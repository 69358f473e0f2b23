import type { z } from 'zod'
import type { Actor } from '@/service/base/actor'
import { answerAsk, type answerSchema } from '@/service/fleet/allowance-asks'
import { letterServer, sendLetter } from './letter'

/** Grants or declines what somebody asked for, and writes to them. It stands also where no mail can be sent: then the answer is on the screen alone. */
export async function answerByLetter(
  actor: Actor,
  askId: number,
  request: z.output<typeof answerSchema>,
): Promise<{ mailed: boolean }> {
  const { title, units, until, email } = await answerAsk(actor, askId, request)
  const server = email === null ? undefined : await letterServer(null)
  if (email === null || server === undefined) return { mailed: false }
  const subject = `${units} more ${title}: ${request.grant ? 'granted' : 'declined'}`
  const end = until === null ? '' : ` until ${until.toISOString().slice(0, 16).replace('T', ' ')} UTC`
  const text = request.grant
    ? `${actor.name} granted ${units} more ${title}${end}.${request.answer ? `\n\n${request.answer}` : ''}`
    : `${actor.name} declined ${units} more ${title}.\n\n${request.answer}`
  try {
    await sendLetter(server, { to: email, subject, text }, `allowance-${askId}`)
    return { mailed: true }
  } catch {
    return { mailed: false }
  }
}
