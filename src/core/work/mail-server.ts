import { z } from 'zod'
import { hostSchema, mailAddressSchema, portSchema, type Connection } from './connections'
import { slugSchema } from './job'

/** A mail server as notices use it: entered once, named by them. */
export const mailServerSchema = z.strictObject({
  name: slugSchema,
  host: hostSchema,
  port: portSchema,
  /** TLS from the first byte (RFC 8314); without it STARTTLS where the server offers it (RFC 3207). */
  tls: z.boolean().default(false),
  /** Sender of what goes out by it. */
  from: mailAddressSchema,
  /** Account that signs in there; null: nobody. */
  account: slugSchema.nullable().default(null),
})
export type MailServer = z.output<typeof mailServerSchema>

/** A letter as the action that sends it by this server. */
export const mailBy = (
  { host, port, tls, from }: MailServer,
  letter: { readonly to: string[]; readonly subject: string; readonly text: string },
): Extract<Connection, { kind: 'mail' }> => ({ kind: 'mail', host, port, tls, from, ...letter })
