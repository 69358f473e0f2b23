import { randomUUID } from 'node:crypto'
import { CloudEvent, HTTP } from 'cloudevents'
import { Webhook, WebhookVerificationError } from 'standardwebhooks'
import { Problem } from '@/service/base/problem'

/** A call as it came. */
export interface RawCall {
  readonly headers: Readonly<Record<string, string>>
  readonly text: string
}

/** What a call says. */
export interface ReadCall {
  /** The same call, sent again, has the same key. */
  readonly key: string
  /** What pointers look into: of a CloudEvent the whole event, with its data. */
  readonly body: unknown
}

const MOST_ID = 200

/**
 * Whether a call was signed with the key of its address, lately (Standard Webhooks: HMAC-SHA256 of id, time and body; five minutes). Throws a Problem otherwise.
 *
 * @param signingKey `whsec_` and Base64
 */
export function requireSignature({ headers, text }: RawCall, signingKey: string): void {
  try {
    new Webhook(signingKey).verify(text, { ...headers })
  } catch (error) {
    if (error instanceof WebhookVerificationError)
      throw new Problem('not-signed', 'The signature is missing, wrong or too old.')
    // The library reads the body, too: that it is not JSON is told by whoever reads it next.
    if (!(error instanceof SyntaxError)) throw error
  }
}

/** Reads the body, by CloudEvents 1.0 in either mode where it is one. Throws a Problem. `parse`: JSON, checked for what cannot be kept. */
export function readCall({ headers, text }: RawCall, parse: (text: string) => unknown): ReadCall {
  const body = parse(text)
  const id = headers['webhook-id'] ?? headers['idempotency-key']
  const message = { headers: { ...headers }, body: text }
  if (HTTP.isEvent(message)) {
    const event = eventOf(message)
    return {
      key: id === undefined ? `event ${shortened(event.source)} ${shortened(event.id)}` : keyOf(id),
      body: event,
    }
  }
  return { key: id === undefined ? `call ${randomUUID()}` : keyOf(id), body }
}

function keyOf(id: string): string {
  return `call ${shortened(id)}`
}

function shortened(id: string): string {
  if (id.length > MOST_ID) throw new Problem('invalid-input', `The id of a call has at most ${MOST_ID} characters.`)
  return id
}

function eventOf(message: Parameters<typeof HTTP.toEvent>[0]): CloudEvent<unknown> {
  try {
    const event = HTTP.toEvent<unknown>(message)
    if (Array.isArray(event)) throw new Error('One event at a time.')
    // Made anew it is looked at strictly.
    return JSON.parse(JSON.stringify(new CloudEvent(event))) as CloudEvent<unknown>
  } catch (error) {
    throw new Problem('invalid-input', `This is no CloudEvent 1.0: ${(error as Error).message}`)
  }
}
