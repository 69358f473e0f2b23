import { createHmac, timingSafeEqual } from 'node:crypto'
import { z } from 'zod'
import { CAUSES } from '@/core/run/lifecycle'
import { keyFor } from '@/store/seal'

const id = z.int().positive()

/** What this server says of an attempt when it hands it out, so that it can be put into the record again should the database forget it. Instants in milliseconds since the epoch. */
const receiptSchema = z.strictObject({
  run: id,
  attempt: id,
  /** Whom it was handed to. */
  agent: id,
  token: id,
  try: id,
  handedAt: z.int(),
  job: id,
  version: id,
  createdAt: z.int(),
  cause: z.enum(CAUSES),
  starter: z.string(),
  /** The machine, of what starts on each. */
  forAgent: id.nullable(),
  trigger: z.object({ id, version: id, occurrence: z.int(), day: z.string() }).nullable(),
  step: z.object({ flowRun: id, index: z.int().min(0), path: z.string() }).nullable(),
})
export type Receipt = z.output<typeof receiptSchema>

const signatureOf = (body: string): Buffer => createHmac('sha256', keyFor('receipt of a run')).update(body).digest()

/** Signed, so that no agent can make one up. */
export function makeReceipt(receipt: Receipt): string {
  const body = Buffer.from(JSON.stringify(receipt)).toString('base64url')
  return `${body}.${signatureOf(body).toString('base64url')}`
}

/** null: it is none of this server's. */
export function readReceipt(text: string): Receipt | null {
  const [body = '', given = ''] = text.split('.')
  const [signature, right] = [Buffer.from(given, 'base64url'), signatureOf(body)]
  if (signature.length !== right.length || !timingSafeEqual(signature, right)) return null
  return receiptSchema.parse(JSON.parse(Buffer.from(body, 'base64url').toString('utf8')))
}
