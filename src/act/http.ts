import { basicCredentials } from '@/core/run/mask'
import { signInFault } from '@/core/work/account'
import { atPointer, fill, urlOf, type Connection } from '@/core/work/connections'
import { ActFault, oneLine, reasonOf, within, type Context } from './context'
import { exchange, type Incoming, type Outgoing } from './request'

/** More of an answer is not read. */
const MOST_BYTES = 10 * 1024 * 1024
const MOST_LINES = 500

export interface Answer {
  readonly status: number
  readonly text: string
  readonly isCut: boolean
}

/** The address with values in it: each stays where it was put, and none becomes another part of the address. */
export function addressOf(text: string, values: Readonly<Record<string, string>>): string {
  const filled = urlOf(text, values)
  if ('fault' in filled) throw new ActFault(filled.fault)
  return filled.text
}

/** One request, told line by line; the answer up to 10 MiB. */
export async function ask(
  action: Extract<Connection, { kind: 'http' | 'ticket' }>,
  request: Outgoing,
  seconds: number,
  { say, account, mayReach, limits, values }: Context,
): Promise<Answer> {
  const { method, url, body } = request
  const headers: Record<string, string> = { 'user-agent': 'Bugle', ...request.headers }
  say(`→ ${method} ${url}`)
  for (const [name, value] of Object.entries(headers)) say(`  ${name.toLowerCase()}: ${value}`)
  // What the job writes itself is not overridden.
  const writesItself = Object.keys(headers).some((name) => name.toLowerCase() === 'authorization')
  if (account && !writesItself) {
    const fault = signInFault(account.account, account, action, values)
    if (fault !== null) throw new ActFault(fault)
    headers.authorization = `Basic ${basicCredentials(account.user, account.secret)}`
    say(`  authorization: Basic, as ${account.user}`)
  }
  if (body !== null) say(`  ${Buffer.byteLength(body)} bytes`)
  const control = new AbortController()
  const begun = performance.now()
  const mostBytes = Math.min(MOST_BYTES, limits?.bytes ?? MOST_BYTES)
  const work = async (): Promise<Answer> => {
    const answer: Incoming = await exchange(
      { ...request, headers },
      { mostBytes, mayReach, signal: control.signal },
      (to) => say(`  sent on to ${to}`),
    )
    const ms = Math.round(performance.now() - begun)
    const size = answer.isCut ? `more than ${mostBytes}` : String(answer.body.length)
    say(`← ${answer.status} ${answer.statusText} in ${ms} ms, ${size} bytes, ${answer.type}`)
    return { status: answer.status, text: answer.body.toString('utf8'), isCut: answer.isCut }
  }
  return within(
    Math.min(seconds, limits?.seconds ?? seconds),
    work().catch((error: unknown) => {
      throw error instanceof ActFault ? error : new ActFault(`${method} ${url} failed: ${reasonOf(error)}.`)
    }),
    () => control.abort(),
  )
}

/** How a value goes into a body: as part of a JSON string, percent-encoded in a form, else as it is. */
function encodingFor(headers: Readonly<Record<string, string>>): (raw: string) => string {
  const type = Object.entries(headers).find(([name]) => name.toLowerCase() === 'content-type')?.[1] ?? ''
  if (/\bjson\b/i.test(type)) return (raw) => JSON.stringify(raw).slice(1, -1)
  return /x-www-form-urlencoded/i.test(type) ? encodeURIComponent : (raw) => raw
}

export async function http(action: Extract<Connection, { kind: 'http' }>, context: Context): Promise<void> {
  const { values, say, warn, hand } = context
  const headers = Object.fromEntries(
    Object.entries(action.headers).map(([name, value]) => [name, fill(value, values, oneLine)]),
  )
  const hasBody = action.method !== 'GET' && action.method !== 'HEAD' && action.body !== ''
  const answer = await ask(
    action,
    {
      method: action.method,
      url: addressOf(action.url, values),
      headers,
      body: hasBody ? fill(action.body, values, encodingFor(action.headers)) : null,
    },
    action.withinSeconds,
    context,
  )
  const lines = answer.text === '' ? [] : answer.text.replace(/\n$/, '').split('\n')
  for (const line of lines.slice(0, MOST_LINES)) say(line)
  if (lines.length > MOST_LINES) warn(`… and ${lines.length - MOST_LINES} more lines.`)
  if (answer.isCut) warn('The answer is larger than 10 MiB; the rest was not read.')
  const isExpected = action.expect.some((each) =>
    each.endsWith('xx') ? String(answer.status).startsWith(each[0] as string) : String(answer.status) === each,
  )
  if (!isExpected) throw new ActFault(`The answer is ${answer.status}; expected ${action.expect.join(' or ')}.`)
  const picks = Object.entries(action.pick)
  if (picks.length === 0) return
  if (answer.isCut) throw new ActFault('Nothing can be picked out of an answer that was not read to its end.')
  let document: unknown
  try {
    document = JSON.parse(answer.text)
  } catch {
    throw new ActFault('The answer is not JSON: nothing can be picked out of it.')
  }
  for (const [name, pointer] of picks) {
    const found = atPointer(document, pointer)
    if (found === undefined) throw new ActFault(`The answer has nothing at ${pointer || 'its root'} for ${name}.`)
    const value = typeof found === 'string' ? found : JSON.stringify(found)
    hand(name, value)
    say(`${name} = ${value}`)
  }
}
