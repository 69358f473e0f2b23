import { randomUUID } from 'node:crypto'
import { seededRandom } from '@/core/stats/random'
import { ended, lease, makeJob, output, outputOf, started, stateOf } from '@/service/fixtures.test-help'
import { startRun, startSchema } from '@/service/runs/start'
import { ADMIN, freshDatabase } from '@/store/database.test-help'
import { one } from '@/store/db'
import { forgetLimits } from '@/store/limits'
import { Gateway } from './gateway'
import { credentialOf, enrolled, freePort, hello, Line, report, receptionOf } from './line.test-help'
import { Sink } from './sink'

freshDatabase()

/** Said when it fails; the same seed says the same messages again. */
const SEED = Number(process.env.BUGLE_FUZZ_SEED ?? 20_261_129)
/** `BUGLE_FUZZ_MESSAGES=1000000` takes a minute and a half. */
const MESSAGES = Number(process.env.BUGLE_FUZZ_MESSAGES ?? 300_000)
const IN_ONE_FRAME = 100
/** Batches that may be stored from an honest report's being said until it is acknowledged: the one on its way, what the socket took in first, and its own. Batches and not seconds: a disk may pause. */
const MOST_BATCHES = 6

type Json = null | boolean | number | string | Json[] | { [key: string]: Json }

const NASTY: readonly Json[] = [
  null,
  true,
  -1,
  0,
  0.5,
  1e300,
  -1e300,
  2 ** 31,
  2 ** 53,
  8.64e15 + 1,
  '',
  '\0',
  '\\u0000',
  '\uD800',
  '\uDC00\uD800',
  'x'.repeat(3000),
  '‮⁦\u2028',
  "'; DROP TABLE runs; --",
  [],
  {},
  [[[[[[[[[[]]]]]]]]]],
  { constructor: 1, toString: null },
]

/** Changes one place in it at random: another value, a missing or a strange key, one too many. */
function mutate(value: Json, random: () => number): Json {
  const pick = <T>(list: readonly T[]): T => list[Math.floor(random() * list.length)] as T
  const isInner = value !== null && typeof value === 'object' && random() < 0.85
  if (!isInner) return pick(NASTY)
  if (Array.isArray(value)) {
    if (value.length === 0) return [pick(NASTY)]
    const at = Math.floor(random() * value.length)
    return value.map((each, i) => (i === at ? mutate(each, random) : each))
  }
  const keys = Object.keys(value)
  const key = pick([...keys, '__proto__', 'k\0'])
  if (random() < 0.1) return Object.fromEntries(Object.entries(value).filter(([name]) => name !== key))
  return { ...value, [key]: key in value ? mutate(value[key] ?? null, random) : pick(NASTY) }
}

/** Text that was JSON, with some of it torn out or another byte put in. */
function tear(text: string, random: () => number): string {
  const at = Math.floor(random() * text.length)
  return random() < 0.5
    ? text.slice(0, at)
    : text.slice(0, at) + String.fromCharCode(Math.floor(random() * 0x2100)) + text.slice(at + 1)
}

it(
  `one engine takes ${MESSAGES} mutated messages (seed ${SEED}), and no honest agent waits for it`,
  async () => {
    process.env.BUGLE_LIMIT_GATEWAY_UPGRADES_PER_SECOND = '1000000'
    forgetLimits()
    const random = seededRandom(SEED)
    const sink = new Sink()
    const batches = jest.spyOn(sink as unknown as { run: () => Promise<void> }, 'run')
    const gateway = new Gateway(randomUUID(), sink, 30)
    const port = await freePort()
    const reception = await receptionOf(gateway, port)
    const greet = async (name: string): Promise<Line> => {
      const line = new Line(port, credentialOf(name))
      await line.say(hello(name))
      await line.until('welcome')
      return line
    }
    const runOn = async ({
      id,
      name,
    }: {
      id: number
      name: string
    }): Promise<{ run: number; attempt: number; token: number }> => {
      const jobId = await makeJob({ target: { agent: name } })
      const { id: run } = await startRun(ADMIN, startSchema.parse({ jobId }))
      return { run, ...(await lease(run, id)) }
    }

    let sent = 0
    const waits: number[] = []
    const honest = async (): Promise<void> => {
      const agent = await enrolled('honest')
      const line = await greet(agent.name)
      const its = await runOn(agent)
      await line.say(report(its, 1, started))
      let seq = 1
      while (sent < MESSAGES) {
        const before = batches.mock.calls.length
        await line.say(report(its, ++seq, output(`line ${seq}`)))
        await line.acked(its.attempt, seq)
        waits.push(batches.mock.calls.length - before)
        line.heard.length = 0
      }
      await line.say(report(its, ++seq, ended(0)))
      await line.acked(its.attempt, seq)
      expect((await stateOf(its.run)).state).toBe('succeeded')
      expect(await outputOf(its.attempt)).toHaveLength(seq - 2)
      line.end()
    }

    const hostile = async (): Promise<void> => {
      const agent = await enrolled('hostile')
      let line = await greet(agent.name)
      let its = await runOn(agent)
      let seq = 1
      while (sent < MESSAGES) {
        const isOver = line.heard.some(({ type }) => type === 'refused') || line.socket.readyState > 1
        if (isOver) {
          line.end()
          line = await greet(agent.name)
          its = await runOn(agent)
          seq = 1
        }
        line.heard.length = 0
        const bodies = [started, output('a line', 'and one more'), ended(0)] as unknown as Json[]
        const reports: Json[] = Array.from({ length: IN_ONE_FRAME }, () => ({
          ...(random() < 0.2
            ? { attempt: its.attempt, token: its.token }
            : { attempt: Math.ceil(random() * 1e6), token: 1 }),
          seq: seq++,
          body: mutate(bodies[Math.floor(random() * bodies.length)] as Json, random),
        }))
        let message: Json = { type: 'reports', reports }
        // Most stay readable as a message, so that what is in them is looked at; some do not, and cost the connection.
        if (random() < 0.02) message = mutate(message, random)
        if (random() < 0.01) message = mutate({ type: 'heartbeat', load: 0.1, used: 1 }, random)
        const text = JSON.stringify(message)
        await line.say(random() < 0.01 ? tear(text, random) : text)
        sent += IN_ONE_FRAME
        // They share this process with the engine: it gets its turn after each message.
        do await new Promise((resolve) => setImmediate(resolve))
        while (line.socket.bufferedAmount > 1e6 && sent < MESSAGES)
      }
      line.end()
    }
    try {
      await Promise.all([honest(), honest(), hostile(), hostile(), hostile()])
    } finally {
      gateway.stop()
      await reception.stop()
      await sink.stop()
    }
    expect(waits.length).toBeGreaterThan(20)
    expect(Math.max(...waits)).toBeLessThanOrEqual(MOST_BATCHES)
    const { rows } = await one<{ rows: number }>(null, 'SELECT count(*)::int AS rows FROM refused_reports')
    expect(rows).toBeLessThan(10_000)
  },
  10 * 60_000,
)
