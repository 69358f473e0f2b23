import { basicCredentials } from '@/core/run/mask'
import { atPointer, fill, type Connection } from '@/core/work/connections'
import { ActFault, oneLine, reasonOf, within, type Context } from './context'

/** More of an answer is not read. */
const MOST_BYTES = 10 * 1024 * 1024
const MOST_LINES = 500

export interface Answer {
  readonly status: number
  readonly text: string
  readonly isCut: boolean
}

/** One request, told line by line; the answer up to 10 MiB. */
export async function ask(
  request: { method: string; url: string; headers: Readonly<Record<string, string>>; body: string | null },
  seconds: number,
  { say, account }: Context,
): Promise<Answer> {
  const { method, url, body } = request
  const headers = new Headers({ 'user-agent': 'Bugle', ...request.headers })
  say(`→ ${method} ${url}`)
  for (const [name, value] of headers) say(`  ${name}: ${value}`)
  if (account && !headers.has('authorization')) {
    headers.set('authorization', `Basic ${basicCredentials(account.user, account.secret)}`)
    say(`  authorization: Basic, as ${account.user}`)
  }
  if (body !== null) say(`  ${Buffer.byteLength(body)} bytes`)
  const control = new AbortController()
  const begun = performance.now()
  const work = async (): Promise<Answer> => {
    const response = await fetch(url, { method, headers, body, signal: control.signal })
    const chunks: Uint8Array[] = []
    let size = 0
    let isCut = false
    if (response.body)
      for await (const chunk of response.body as unknown as AsyncIterable<Uint8Array>) {
        chunks.push(chunk)
        size += chunk.byteLength
        if (size > MOST_BYTES) {
          isCut = true
          break
        }
      }
    if (isCut) control.abort()
    const ms = Math.round(performance.now() - begun)
    const kind = response.headers.get('content-type') ?? 'of no said type'
    say(`← ${response.status} ${response.statusText} in ${ms} ms, ${isCut ? 'more than ' : ''}${size} bytes, ${kind}`)
    if (response.redirected) say(`  redirected to ${response.url}`)
    return { status: response.status, text: Buffer.concat(chunks).subarray(0, MOST_BYTES).toString('utf8'), isCut }
  }
  return within(
    seconds,
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
    {
      method: action.method,
      url: fill(action.url, values, encodeURIComponent),
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
