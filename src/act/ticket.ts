import { fill, type Connection } from '@/core/work/connections'
import { ActFault, type Context } from './context'
import { addressOf, ask } from './http'

/** Opens a ticket: JSON with title, text and urgency by POST. The desk answers with the ticket's id. The same attempt sent twice opens one ticket. */
export async function ticket(action: Extract<Connection, { kind: 'ticket' }>, context: Context): Promise<void> {
  const { values, run, attempt, say, hand } = context
  const answer = await ask(
    action,
    {
      method: 'POST',
      url: addressOf(action.url, values),
      headers: { 'content-type': 'application/json', 'idempotency-key': `bugle-${run}-${attempt}` },
      body: JSON.stringify({
        title: fill(action.title, values),
        text: fill(action.text, values),
        urgency: action.urgency,
        reference: context.reference ?? `#${run}`,
      }),
    },
    60,
    context,
  )
  if (answer.status < 200 || answer.status > 299)
    throw new ActFault(`The ticket desk answers with ${answer.status}: ${answer.text.slice(0, 300)}`)
  let id: unknown
  try {
    id = (JSON.parse(answer.text) as { id?: unknown }).id
  } catch {
    id = undefined
  }
  if (typeof id !== 'string' && typeof id !== 'number')
    throw new ActFault('The ticket desk did not say which ticket it opened.')
  hand('ticket', String(id))
  say(`Ticket ${id} is open.`)
}
