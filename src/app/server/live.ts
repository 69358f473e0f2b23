import { Problem } from '@/service/base/problem'
import { limit } from '@/store/limits'
import { listen, type Change } from '@/store/listen'
import { identify } from './endpoint'

type Hearer = (change: Change) => void

/** Streams that are open in this process, by person. */
const open = new Map<string, number>()
/** Bytes that a reader has not taken yet; one that takes none is dropped, and comes back by itself. */
const MOST_UNREAD = 64 * 1024

// One listening connection for all browsers of this process.
const holder = globalThis as typeof globalThis & { bugleLive?: { hearers: Set<Hearer>; stop: () => Promise<void> } }

function hearers(): Set<Hearer> {
  if (!holder.bugleLive) {
    const set = new Set<Hearer>()
    const stop = listen((change) => {
      for (const hear of set) hear(change)
    })
    holder.bugleLive = { hearers: set, stop }
  }
  return holder.bugleLive.hearers
}

/** Ends the listening connection; the next stream opens another. */
export async function stopLive(): Promise<void> {
  await holder.bugleLive?.stop()
  delete holder.bugleLive
}

function leave(who: string): void {
  const left = (open.get(who) ?? 1) - 1
  if (left > 0) open.set(who, left)
  else open.delete(who)
}

/** Changes of this long travel together. */
const GATHER_MS = 300
const ALIVE_MS = 20_000

/** Server-sent events (WHATWG HTML, 9.2): what changed, gathered, as long as the browser listens and its person is still signed in. */
export function liveStream(request: Request, who: string, aliveMs = ALIVE_MS): Response {
  const count = open.get(who) ?? 0
  if (count >= limit('streams_per_person'))
    throw new Problem('too-many', `You have ${count} live pages open, the most that one person may. Close some.`)
  open.set(who, count + 1)
  const encoder = new TextEncoder()
  let stop: () => void = () => undefined
  const body = new ReadableStream<Uint8Array>(
    {
      start: (controller) => {
        let gathered:
          | { runs: Set<number>; all: boolean; fleet: boolean; matters: boolean; jobs: boolean; timing: boolean }
          | undefined
        let timer: NodeJS.Timeout | undefined
        const send = (text: string): void => {
          if ((controller.desiredSize ?? 0) < -MOST_UNREAD) {
            stop()
            controller.error(new Error('The reader takes nothing.'))
            return
          }
          try {
            controller.enqueue(encoder.encode(text))
          } catch {
            stop()
          }
        }
        const flush = (): void => {
          timer = undefined
          if (!gathered) return
          const { runs, ...rest } = gathered
          gathered = undefined
          send(`data: ${JSON.stringify({ ...rest, runs: [...runs].slice(0, 2000) })}\n\n`)
        }
        const hear: Hearer = (change) => {
          if (!change.runs && !change.fleet && !change.matters && !change.jobs && !change.timing) return
          gathered ??= { runs: new Set(), all: false, fleet: false, matters: false, jobs: false, timing: false }
          for (const id of change.runs ?? []) gathered.runs.add(id)
          if (change.runs?.length === 0) gathered.all = true
          gathered.fleet ||= change.fleet ?? false
          gathered.matters ||= change.matters ?? false
          gathered.jobs ||= change.jobs ?? false
          gathered.timing ||= change.timing ?? false
          timer ??= setTimeout(flush, GATHER_MS)
        }
        const look = async (): Promise<void> => {
          // While the database is away nobody is sent off: the browser would only come back and be refused.
          if (await identify(request, false).catch(() => true)) return send(': alive\n\n')
          stop()
          controller.close()
        }
        const alive = setInterval(() => void look(), aliveMs)
        let isStopped = false
        stop = () => {
          if (!isStopped) leave(who)
          isStopped = true
          hearers().delete(hear)
          clearInterval(alive)
          clearTimeout(timer)
        }
        hearers().add(hear)
        request.signal.addEventListener('abort', stop)
        send('retry: 2000\n\n')
      },
      cancel: () => stop(),
    },
    new ByteLengthQueuingStrategy({ highWaterMark: 16 * 1024 }),
  )
  return new Response(body, {
    headers: { 'content-type': 'text/event-stream', 'cache-control': 'no-store', 'x-accel-buffering': 'no' },
  })
}
