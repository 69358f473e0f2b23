import { connect } from 'node:net'
import type { Connection } from '@/core/work/connections'
import { ActFault, type Context } from './context'

const LOOK_MS = 1000
const AGAIN_MS = 1000
/** The agent, or its server, may be away for a while: it is asked again. */
const AWAY_MS = 30 * 60_000

interface Answer {
  readonly ok: boolean
  readonly why?: string
  readonly answer?: Readonly<Record<string, unknown>>
}

/** Has a report made by the server and waits for it. The same try asks for it once, whoever was killed meanwhile; stopped, it has the making stopped. */
export async function report(
  action: Extract<Connection, { kind: 'report' }>,
  { run, attempt, door, say, hand }: Context,
): Promise<void> {
  if (!door) throw new ActFault('This agent is older than jobs that make reports: bring it up to date.')
  let looks = 0
  const ask = async (what: object, request: string): Promise<Readonly<Record<string, unknown>>> => {
    const answer = await answered(door, JSON.stringify({ request, ask: what }))
    if (!answer.ok) throw new ActFault(answer.why ?? 'The server refused.')
    return answer.answer ?? {}
  }
  const own = `report-${run}-${attempt}`
  const { result, title } = await ask({ do: 'report', report: action.report }, own)
  say(`Asked for ${String(title)}: result ${String(result)}`)
  const stop = (): void => {
    ask({ do: 'report-stop', result }, `${own}-stop`)
      .catch(() => undefined)
      .finally(() => process.exit(143))
  }
  process.once('SIGTERM', stop)
  try {
    for (let last = ''; ; await pause(LOOK_MS)) {
      const { state, step, reason, pages, period } = await ask({ do: 'report-state', result }, `${own}-${++looks}`)
      if (state === 'made') {
        say(`Made: ${String(period)}, ${String(pages)} ${pages === 1 ? 'page' : 'pages'}`)
        hand('result', String(result))
        hand('pages', String(pages))
        return
      }
      if (state === 'failed' || state === 'stopped') throw new ActFault(String(reason))
      if (step !== last && step !== '') say(String(step))
      last = String(step)
    }
  } finally {
    process.off('SIGTERM', stop)
  }
}

const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms))

/** Asks until there is an answer: the same line is the same question. */
async function answered(door: string, line: string): Promise<Answer> {
  for (const until = Date.now() + AWAY_MS; ; await pause(AGAIN_MS)) {
    const answer = await once(door, line).catch(() => null)
    if (answer !== null) return answer
    if (Date.now() > until) throw new ActFault('The server could not be reached for half an hour.')
  }
}

function once(path: string, line: string): Promise<Answer> {
  return new Promise((resolve, reject) => {
    const socket = connect(path)
    let text = ''
    socket.once('connect', () => socket.write(`${line}\n`))
    socket.on('data', (data) => (text += String(data)))
    socket.once('error', reject)
    socket.once('close', () => {
      try {
        resolve(JSON.parse(text) as Answer)
      } catch (error) {
        reject(error as Error)
      }
    })
  })
}
