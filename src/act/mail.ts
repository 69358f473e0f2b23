import { createTransport } from 'nodemailer'
import { fill, type Connection } from '@/core/work/connections'
import { ActFault, oneLine, portOf, reasonOf, type Context } from './context'

const TIMEOUT_MS = 30_000

/** One mail by SMTP (RFC 5321), with STARTTLS where the server offers it. */
export async function mail(action: Extract<Connection, { kind: 'mail' }>, context: Context): Promise<void> {
  const { values, account, say } = context
  const host = fill(action.host, values)
  const port = portOf(action.port, values)
  const transport = createTransport({
    host,
    port,
    secure: action.tls,
    connectionTimeout: TIMEOUT_MS,
    greetingTimeout: TIMEOUT_MS,
    socketTimeout: TIMEOUT_MS,
    ...(account ? { auth: { user: account.user, pass: account.secret } } : {}),
  })
  const to = action.to.map((each) => fill(each, values))
  say(`→ ${host}:${port}, from ${fill(action.from, values)} to ${to.join(', ')}`)
  try {
    const sent = await transport.sendMail({
      from: fill(action.from, values),
      to,
      subject: fill(action.subject, values, oneLine),
      text: fill(action.text, values),
    })
    say(`← ${sent.response}`)
    say(`Message ${sent.messageId}`)
    if (sent.rejected.length > 0) throw new ActFault(`Refused for ${sent.rejected.map(String).join(', ')}.`)
  } catch (error) {
    if (error instanceof ActFault) throw error
    const { response } = error as { response?: string }
    throw new ActFault(
      response ? `The mail server refused: ${response}` : `The mail server failed: ${reasonOf(error)}.`,
    )
  } finally {
    transport.close()
  }
}
