import { createTransport } from 'nodemailer'
import { ONE_ADDRESS } from '@/core/net/mail-address'
import { plainFault, signInFault } from '@/core/work/account'
import { fill, type Connection } from '@/core/work/connections'
import { ActFault, oneLine, portOf, reasonOf, within, type Context } from './context'
import { addressFor } from './network'

const TIMEOUT_MS = 30_000

function addressOf(text: string, values: Readonly<Record<string, string>>): string {
  const filled = fill(text, values).trim()
  if (!ONE_ADDRESS.test(filled)) throw new ActFault(`“${oneLine(filled).slice(0, 100)}” is not one mail address.`)
  return filled
}

/** One mail by SMTP (RFC 5321), with STARTTLS where the server offers it; where somebody signs in, only with it, unless the account says otherwise. */
export async function mail(action: Extract<Connection, { kind: 'mail' }>, context: Context): Promise<void> {
  const { values, account, say, mayReach, limits, attachments = [] } = context
  const host = fill(action.host, values)
  const port = portOf(action.port, values)
  const fault = account && signInFault(account.account, account, action, values)
  if (fault) throw new ActFault(fault)
  const from = addressOf(action.from, values)
  const to = action.to.map((each) => addressOf(each, values))
  const address = await addressFor(host, mayReach).catch((error: unknown) => {
    throw error instanceof ActFault ? error : new ActFault(`The mail server failed: ${reasonOf(error)}.`)
  })
  const transport = createTransport({
    host: address,
    port,
    secure: action.tls,
    requireTLS: account !== null && !account.plain,
    tls: { servername: host },
    connectionTimeout: TIMEOUT_MS,
    greetingTimeout: TIMEOUT_MS,
    socketTimeout: TIMEOUT_MS,
    ...(account ? { auth: { user: account.user, pass: account.secret } } : {}),
  })
  say(`→ ${host}:${port}, from ${from} to ${to.join(', ')}`)
  try {
    const sending = transport.sendMail({
      from: { name: '', address: from },
      to: to.map((one) => ({ name: '', address: one })),
      subject: fill(action.subject, values, oneLine),
      text: fill(action.text, values),
      attachments: attachments.map(({ name, type, bytes }) => ({ filename: name, contentType: type, content: bytes })),
    })
    const sent = await (limits ? within(limits.seconds, sending, () => transport.close()) : sending)
    say(`← ${sent.response}`)
    say(`Message ${sent.messageId}`)
    if (sent.rejected.length > 0) throw new ActFault(`Refused for ${sent.rejected.map(String).join(', ')}.`)
  } catch (error) {
    if (error instanceof ActFault) throw error
    const { response, code } = error as { response?: string; code?: string }
    if (code === 'ETLS' && account)
      throw new ActFault(plainFault(account.account, account, 'by SMTP without TLS') ?? reasonOf(error))
    throw new ActFault(
      response ? `The mail server refused: ${response}` : `The mail server failed: ${reasonOf(error)}.`,
    )
  } finally {
    transport.close()
  }
}
