import type { Actor } from '@/service/base/actor'
import { Problem } from '@/service/base/problem'
import { areasSeenBy, forEverybody, runsByArea } from '@/service/watch/seen'
import { limit } from '@/store/limits'
import { listen } from '@/store/listen'
import { organisation } from '@/store/organisation'
import { identify } from './endpoint'
import { gather, type LiveEvent } from './gather'

interface Reader {
  /** What is sent to all is made once, however many read. */
  readonly send: (bytes: Uint8Array) => void
  /** Looks whether its person is still signed in, and what they may see now. */
  readonly look: () => Promise<void>
  /** Areas of which it hears; null: of all. */
  areas: ReadonlySet<number> | null
}

/** Streams that are open in this process, by organisation and person. */
const open = new Map<string, number>()
/** Bytes that a reader has not taken yet; one that takes none is dropped, and comes back by itself. */
const MOST_UNREAD = 64 * 1024
const ALIVE_MS = 20_000
const encoder = new TextEncoder()
const bytesOf = (event: LiveEvent): Uint8Array => encoder.encode(`data: ${JSON.stringify(event)}\n\n`)

// One listening connection, and one gathering, for all browsers of an organisation in this process.
interface Live {
  readonly readers: Set<Reader>
  readonly stop: () => Promise<void>
}
const holder = globalThis as typeof globalThis & { bugleLive?: Map<number, Live> }

function readers(): Set<Reader> {
  const all = (holder.bugleLive ??= new Map())
  const known = all.get(organisation())
  if (known) return known.readers
  const set = new Set<Reader>()
  const gathering = gather((event) => void tell(set, event))
  const stop = listen((change) => {
    if (change.people) for (const reader of set) void reader.look()
    if (set.size > 0) gathering.add(change)
  })
  all.set(organisation(), {
    readers: set,
    stop: () => {
      gathering.stop()
      return stop()
    },
  })
  return set
}

/** To each what it may know of. Where runs lie is asked once, and only if somebody listens who may not see everything. */
async function tell(set: ReadonlySet<Reader>, event: LiveEvent): Promise<void> {
  const bytes = bytesOf(event)
  const walled: Reader[] = []
  for (const reader of set)
    if (reader.areas === null || event.runs.length === 0) reader.send(bytes)
    else walled.push(reader)
  if (walled.length === 0) return
  const { runs, ...rest } = event
  try {
    const areaOf = await runsByArea(runs)
    for (const reader of walled) {
      const seen = runs.filter((id) => reader.areas?.has(areaOf.get(id) ?? 0))
      if (seen.length > 0 || Object.values(rest).some(Boolean)) reader.send(bytesOf({ ...rest, runs: seen }))
    }
  } catch {
    // Nobody can say where they lie: everybody looks again, at what they may see.
    for (const reader of walled) reader.send(bytesOf({ ...rest, all: true, runs: [] }))
  }
}

/** Ends the listening connections; the next stream opens another. */
export async function stopLive(): Promise<void> {
  await Promise.all([...(holder.bugleLive?.values() ?? [])].map(({ stop }) => stop()))
  delete holder.bugleLive
}

function leave(who: string): void {
  const left = (open.get(who) ?? 1) - 1
  if (left > 0) open.set(who, left)
  else open.delete(who)
}

/** Server-sent events (WHATWG HTML, 9.2): what changed and the person may see, gathered, as long as the browser listens and its person is still signed in. */
export async function liveStream(
  request: Request,
  actor: Pick<Actor, 'id' | 'areas'>,
  aliveMs = ALIVE_MS,
): Promise<Response> {
  // Readers of all people share what is set up here.
  return forEverybody(() => streamFor(request, actor, aliveMs))
}

async function streamFor(request: Request, actor: Pick<Actor, 'id' | 'areas'>, aliveMs: number): Promise<Response> {
  const who = `${organisation()} ${actor.id}`
  const count = open.get(who) ?? 0
  if (count >= limit('streams_per_person'))
    throw new Problem('too-many', `You have ${count} live pages open, the most that one person may. Close some.`)
  open.set(who, count + 1)
  const areas = await areasSeenBy(actor).catch((error: unknown) => {
    leave(who)
    throw error
  })
  let stop: () => void = () => undefined
  const body = new ReadableStream<Uint8Array>(
    {
      start: (controller) => {
        const send = (bytes: Uint8Array): void => {
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
        let isStopped = false
        const look = async (): Promise<void> => {
          // While the database is away nobody is sent off: the browser would only come back and be refused.
          const signedIn = await identify(request, false).catch(() => null)
          if (signedIn) reader.areas = await areasSeenBy(signedIn.actor).catch(() => reader.areas)
          // Another look may have ended it meanwhile.
          if (isStopped) return
          if (signedIn !== undefined) return send(encoder.encode(': alive\n\n'))
          stop()
          controller.close()
        }
        const reader: Reader = { send, look, areas }
        const all = readers()
        const alive = setInterval(() => void look(), aliveMs)
        stop = () => {
          if (!isStopped) leave(who)
          isStopped = true
          all.delete(reader)
          clearInterval(alive)
        }
        all.add(reader)
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
