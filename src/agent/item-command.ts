import { randomUUID } from 'node:crypto'
import { connect } from 'node:net'
import { parseArgs } from 'node:util'
import { parseDuration } from '@/core/timing/duration'

/** How the command ends: done, refused, wrong use, or the server out of reach for too long (sysexits.h: EX_TEMPFAIL). */
export const EXIT = { done: 0, refused: 1, use: 2, away: 75 } as const

export const ITEM_USAGE = `bugle-agent item take QUEUE [--wait PT30S]
bugle-agent item done NUMBER [--result JSON|-]
bugle-agent item reject NUMBER --why TEXT
bugle-agent item fail NUMBER --why TEXT
bugle-agent item later NUMBER [--not-before INSTANT]
bugle-agent item add QUEUE [--key KEY] [--data JSON|-] [--priority LEVEL] [--due INSTANT] [--not-before INSTANT]

Within a run, whose job names the queue. - reads standard input. --wait: for so long the server may be out of reach.
Ends with 0 when it is done, 1 refused (why on standard error), 2 wrong use, 75 the server was out of reach.`

class BadUse extends Error {}

const AGAIN_MS = 300
const USUAL_WAIT = 'PT5M'

interface Io {
  readonly socket: string | undefined
  readonly out: (text: string) => void
  readonly err: (text: string) => void
  readonly stdin: () => Promise<string>
}

/** Takes, ends, puts back or adds one item of a work queue, by the socket of its run. Returns the exit code. */
export async function itemCommand(args: readonly string[], io: Io): Promise<number> {
  try {
    const { ask, waitMs } = await read(args, io)
    if (!io.socket) throw new BadUse('This is for a run whose job names a work queue: BUGLE_ITEMS is not set.')
    const line = JSON.stringify({ request: randomUUID(), ask })
    const answer = await answered(io.socket, line, waitMs)
    if (answer === null) {
      io.err('The server could not be reached.')
      return EXIT.away
    }
    if (!answer.ok) {
      io.err(answer.why ?? 'Refused.')
      return EXIT.refused
    }
    if (ask.do === 'take' || ask.do === 'add') io.out(JSON.stringify(answer.answer))
    return EXIT.done
  } catch (error) {
    if (!(error instanceof BadUse)) throw error
    io.err(`${error.message}\n\n${ITEM_USAGE}`)
    return EXIT.use
  }
}

interface Answer {
  readonly ok: boolean
  readonly why?: string
  readonly answer?: unknown
}

/** Asks until there is an answer: by the same line, which is the same question, whoever was killed meanwhile. null: not within the time. */
async function answered(socket: string, line: string, waitMs: number): Promise<Answer | null> {
  const until = Date.now() + waitMs
  for (;;) {
    const left = until - Date.now()
    const answer = await once(socket, line, Math.max(1, left)).catch(() => null)
    if (answer !== null) return answer
    if (Date.now() + AGAIN_MS >= until) return null
    await new Promise((resolve) => setTimeout(resolve, AGAIN_MS))
  }
}

function once(path: string, line: string, waitMs: number): Promise<Answer> {
  return new Promise((resolve, reject) => {
    const socket = connect(path)
    const timer = setTimeout(() => socket.destroy(new Error('No answer.')), waitMs)
    let text = ''
    socket.once('connect', () => socket.write(`${line}\n`))
    socket.on('data', (data) => {
      text += String(data)
      if (!text.includes('\n')) return
      socket.end()
      resolve(JSON.parse(text) as Answer)
    })
    socket.once('error', reject)
    socket.once('close', () => {
      clearTimeout(timer)
      reject(new Error('The agent hung up.'))
    })
  })
}

type Ask = { readonly do: string } & Readonly<Record<string, unknown>>

async function read(args: readonly string[], io: Io): Promise<{ ask: Ask; waitMs: number }> {
  const { positionals, values } = parsed(args)
  const [what = '', of, ...rest] = positionals
  if (of === undefined || rest.length > 0) throw new BadUse('Say what to do, and with which queue or item.')
  const seconds = parseDuration(values.wait ?? USUAL_WAIT)
  if (seconds === undefined) throw new BadUse('--wait is a duration as PT30S.')
  const number = (): number => {
    const n = Number(of)
    if (!Number.isSafeInteger(n) || n < 1) throw new BadUse(`${of} is no number of an item.`)
    return n
  }
  const why = (): string => {
    if (!values.why?.trim()) throw new BadUse(`Say why, with --why.`)
    return values.why
  }
  const json = async (text: string | undefined): Promise<unknown> => {
    if (text === undefined) return undefined
    try {
      return JSON.parse(text === '-' ? await io.stdin() : text)
    } catch (error) {
      throw new BadUse(`This is not JSON: ${(error as Error).message}.`)
    }
  }
  const instant = values['not-before']
  const forms: Record<string, () => Promise<Ask> | Ask> = {
    take: () => ({ do: 'take', queue: of }),
    done: async () => ({ do: 'done', item: number(), result: await json(values.result) }),
    reject: () => ({ do: 'reject', item: number(), why: why() }),
    fail: () => ({ do: 'fail', item: number(), why: why() }),
    later: () => ({ do: 'later', item: number(), notBefore: instant }),
    add: async () => ({
      do: 'add',
      queue: of,
      new: {
        key: values.key,
        data: (await json(values.data)) ?? null,
        priority: values.priority,
        due: values.due,
        notBefore: instant,
      },
    }),
  }
  const form = Object.hasOwn(forms, what) ? forms[what] : undefined
  if (!form) throw new BadUse(`There is no “item ${what}”.`)
  return { ask: await form(), waitMs: seconds * 1000 }
}

function parsed(args: readonly string[]) {
  const text = { type: 'string' } as const
  try {
    return parseArgs({
      args: [...args],
      allowPositionals: true,
      options: {
        wait: text,
        result: text,
        why: text,
        key: text,
        data: text,
        priority: text,
        due: text,
        'not-before': text,
      },
    })
  } catch (error) {
    throw new BadUse(`${(error as Error).message.split('. ')[0]}.`)
  }
}

/** As a program of its own. */
export async function runItemCommand(args: readonly string[]): Promise<void> {
  process.exitCode = await itemCommand(args, {
    socket: process.env.BUGLE_ITEMS,
    out: (text) => process.stdout.write(`${text}\n`),
    err: (text) => process.stderr.write(`${text}\n`),
    stdin: async () => {
      let text = ''
      for await (const chunk of process.stdin) text += String(chunk)
      return text
    },
  })
}
