import { Problem } from '@/service/base/problem'
import { limit } from '@/store/limits'
import { listen } from '@/store/listen'
import { identify } from './endpoint'
import { gather } from './gather'

/** What is sent to all, once: it is made once, however many read. */
type Reader = (bytes: Uint8Array) => void

/** Streams that are open in this process, by person. */
const open = new Map<string, number>()
/** Bytes that a reader has not taken yet; one that takes none is dropped, and comes back by itself. */
const MOST_UNREAD = 64 * 1024
const ALIVE_MS = 20_000
const encoder = new TextEncoder()

// One listening connection, and one gathering, for all browsers of this process.
const holder = globalThis as typeof globalThis & { bugleLive?: { readers: Set<Reader>; stop: () => Promise<void> } }

function readers(): Set<Reader> {
  if (!holder.bugleLive) {
    const set = new Set<Reader>()
    const gathering = gather((text) => {
      const bytes = encoder.encode(text)
      for (const read of set) read(bytes)
    })
    const stop = listen((change) => set.size > 0 && gathering.add(change))
    holder.bugleLive = {
      readers: set,
      stop: () => {
        gathering.stop()
        return stop()
      },
    }
  }
  return holder.bugleLive.readers
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

/** Server-sent events (WHATWG HTML, 9.2): what changed, gathered, as long as the browser listens and its person is still signed in. */
export function liveStream(request: Request, who: string, aliveMs = ALIVE_MS): Response {
  const count = open.get(who) ?? 0
  if (count >= limit('streams_per_person'))
    throw new Problem('too-many', `You have ${count} live pages open, the most that one person may. Close some.`)
  open.set(who, count + 1)
  let stop: () => void = () => undefined
  const body = new ReadableStream<Uint8Array>(
    {
      start: (controller) => {
        const send: Reader = (bytes) => {
          if ((controller.desiredSize ?? 0) < -MOST_UNREAD) {
            stop()
            controller.error(new Error('The reader takes nothing.'))
            return
          }
          try {
            controller.enqueue(bytes)
          } catch {
            stop()
          }
        }
        const look = async (): Promise<void> => {
          // While the database is away nobody is sent off: the browser would only come back and be refused.
          if (await identify(request, false).catch(() => true)) return send(encoder.encode(': alive\n\n'))
          stop()
          controller.close()
        }
        const alive = setInterval(() => void look(), aliveMs)
        let isStopped = false
        stop = () => {
          if (!isStopped) leave(who)
          isStopped = true
          readers().delete(send)
          clearInterval(alive)
        }
        readers().add(send)
        request.signal.addEventListener('abort', stop)
        send(encoder.encode('retry: 2000\n\n'))
      },
      cancel: () => stop(),
    },
    new ByteLengthQueuingStrategy({ highWaterMark: 16 * 1024 }),
  )
  return new Response(body, {
    headers: { 'content-type': 'text/event-stream', 'cache-control': 'no-store', 'x-accel-buffering': 'no' },
  })
}
