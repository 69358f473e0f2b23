import { randomUUID } from 'node:crypto'
import type { IncomingMessage } from 'node:http'
import WebSocket from 'ws'
import { clipText } from '@/core/schema/plain-text'
import type { Gateways } from './gateways'
import type { LineHealth } from '@/core/fleet/line-health'
import { LineWatch } from './line-watch'
import type { MachineMeasures } from './machine'
import type { Outbox } from './outbox'
import { Questions } from './questions'
import type { RelayLoad } from './relay'
import { Tracing } from './tracing'
import {
  PROTOCOL_VERSION,
  toAgentSchema,
  type AgentFacts,
  type DeskQuestion,
  type DeskState,
  type FoundFile,
  type FromAgent,
  type Gap,
  type ItemAnswer,
  type ItemQuestion,
  type Lease,
  type Report,
  type ToAgent,
  type TraceLine,
  type Watch,
} from './protocol'

/** What the agent itself is told. */
export interface Host {
  readonly facts: AgentFacts
  held(): { attempt: number; token: number }[]
  used(): number
  load(): number | null
  /** How its machine is. */
  machine?(): MachineMeasures
  /** How much it passes on of others; undefined: it is no relay. */
  relay?(): RelayLoad | undefined
  /** Whether its disk is full. */
  full?(): boolean
  /** Called for every lease, also ones that it has already. Returns once the lease is safely kept. */
  onLease(lease: Lease): void
  onStop(attempt: number): void
  onStale(attempt: number): void
  onSettings(settings: { slots: number; draining: boolean }): void
  onAcked(attempt: number): void
  /** The server cannot keep this report: in its place goes a word about it. */
  onUnstorable(attempt: number, seq: number, why: string): void
  /** The server misses reports from this number on. Returns those that nobody has any more; null: all are there, or the attempt is not known. */
  onResend(attempt: number, from: number): Gap | null
  /** Attempts that are over, whose reports are still there; and the newest that was ever handed out. */
  kept?(): Pick<Extract<FromAgent, { type: 'hello' }>, 'kept' | 'last'>
  /** Signs in as an account of the machine. Returns why it did not work; null: it did. */
  onTry?(user: string, secret: string | null): Promise<string | null>
  /** All files that it is to look for. */
  onWatch?(watches: readonly Watch[]): void
  /** The server knows these files. */
  onKnown?(files: readonly FoundFile[]): void
  /** The attended robots of its machine, and what the people at them are asked. */
  onDesks?(desks: readonly DeskState[]): void
  /** The line is up. */
  onWelcome?(): void
  /** The line is down. */
  onAway?(): void
  /** The receipts of these attempts, of those that it has. */
  receipts?(attempts: readonly number[]): string[]
  log(message: string): void
}

const SEND_DELAY_MS = 20
const MOST_IN_FLIGHT_BYTES = 2 * 1024 * 1024
const FIRST_RETRY_MS = 250
const LONGEST_RETRY_MS = 10_000
const MOST_REFUSAL_BYTES = 64 * 1024

/** Keeps one connection to a gateway for ever: greets, beats, carries reports, takes leases. Speaks the protocol; knows nothing of processes. */
export class AgentLink {
  private socket: WebSocket | undefined
  private readonly outboxes = new Map<number, Outbox>()
  private retryMs = FIRST_RETRY_MS
  private retryTimer: NodeJS.Timeout | undefined
  private beatTimer: NodeJS.Timeout | undefined
  private sendTimer: NodeJS.Timeout | undefined
  private heardAt = 0
  private welcomed = false
  private stopped = false
  private clockOffsetMs = 0
  private silentUntil = 0
  /** Why there is no line, as it was said. */
  private readonly faults = new Set<string>()
  private readonly questions = new Questions((message) => {
    if (this.welcomed) this.send(message)
  })
  private readonly asked = new Map<number, { readonly from: number; readonly times: number }>()
  /** What it does, told while somebody wants to know. */
  readonly tracing = new Tracing({
    now: () => this.now(),
    send: (trace, lines) => {
      if (!this.welcomed || (this.socket?.bufferedAmount ?? 0) > MOST_IN_FLIGHT_BYTES) return false
      this.sendQuietly({ type: 'trace', trace, lines })
      return true
    },
  })
  private readonly line = new LineWatch()
  /** Of this start of the program: a second agent with a copy of the credential has another one. */
  private readonly instance = randomUUID()

  constructor(
    private readonly gateways: Gateways,
    private readonly credential: string,
    private readonly host: Host,
  ) {}

  start(): void {
    this.connect()
  }

  stop(): void {
    this.stopped = true
    clearTimeout(this.retryTimer)
    clearInterval(this.beatTimer)
    clearTimeout(this.sendTimer)
    this.questions.stop()
    this.tracing.stop()
    this.socket?.terminate()
  }

  /** Cuts the line, as a network would; it is taken up again. For simulated outages. */
  cut(forMs: number): void {
    this.retryMs = forMs
    this.socket?.terminate()
  }

  /** Now, on the server's clock as far as it is known. */
  now(): number {
    return Date.now() + this.clockOffsetMs
  }

  carry(outbox: Outbox): void {
    this.outboxes.set(outbox.attempt, outbox)
    this.sendSoon()
  }

  drop(attempt: number): void {
    this.outboxes.delete(attempt)
    this.questions.drop(attempt)
    this.asked.delete(attempt)
  }

  /** Asks the server about items, again and again until it answers: the same question gets the same answer. Rejects when the agent ends. */
  ask(question: ItemQuestion): Promise<ItemAnswer> {
    return this.questions.ask({ type: 'item', ...question })
  }

  /** Passes on a word of a person at a robot, in the same way. */
  askForDesk(question: DeskQuestion): Promise<ItemAnswer> {
    return this.questions.ask({ type: 'desk', ...question })
  }

  /** Says something that is said again if it is lost. */
  say(message: Extract<FromAgent, { type: 'files' | 'watched' | 'there' }>): void {
    if (this.welcomed) this.send(message)
  }

  /** Call when an outbox has something new. */
  sendSoon(): void {
    this.sendTimer ??= setTimeout(() => {
      this.sendTimer = undefined
      this.sendReports()
    }, SEND_DELAY_MS)
  }

  private connect(): void {
    if (this.stopped) return
    const socket = new WebSocket(this.gateways.current, {
      headers: { authorization: `Bearer ${this.credential}` },
      handshakeTimeout: 10_000,
      perMessageDeflate: false,
      ...this.gateways.way.optionsTo(this.gateways.current),
    })
    this.socket = socket
    socket.on('open', () => {
      for (const outbox of this.outboxes.values()) outbox.rewind()
      this.send({
        type: 'hello',
        protocol: PROTOCOL_VERSION,
        facts: this.host.facts,
        held: this.host.held(),
        instance: this.instance,
        ...this.host.kept?.(),
      })
    })
    socket.on('unexpected-response', (_request, response) => void this.refusedByHttp(socket, response))
    socket.on('message', (data) => {
      this.heardAt = Date.now()
      const message = understood(data as Buffer)
      if (message) {
        this.tracing.note(`heard ${message.type}`, factsOf(message, (data as Buffer).length))
        this.receive(message)
      } else this.host.log('The server sent a message that this agent does not understand; it may be too old.')
    })
    socket.on('error', (error) => this.noteFault(error.message))
    socket.on('close', () => {
      if (this.socket !== socket) return
      // Where it was let in it comes back first; where it was not, the next one has its turn.
      const isRound = this.welcomed || this.gateways.next()
      this.tracing.note('line down', { wasUp: this.welcomed, againMs: Math.round(this.retryMs) })
      this.welcomed = false
      clearInterval(this.beatTimer)
      this.host.onAway?.()
      if (this.stopped) return
      // Jitter, so that a fleet does not come back all at once.
      this.retryTimer = setTimeout(() => this.connect(), this.retryMs * (0.5 + Math.random() * 0.5))
      // The pause grows once all of them were tried in vain.
      if (isRound) this.retryMs = Math.min(LONGEST_RETRY_MS, this.retryMs * 2)
    })
  }

  /** Says why there is no line; the same is said once, until there is one again. */
  private noteFault(fault: string): void {
    const { through } = this.gateways.way
    const said = `no line to ${this.gateways.current}${through === null ? '' : ` through ${through}`}: ${fault}`
    if (this.faults.has(said)) return
    this.faults.add(said)
    this.host.log(said)
  }

  /** Not let in: the answer to the request says why (docs/agent-protocol.md). */
  private async refusedByHttp(socket: WebSocket, response: IncomingMessage): Promise<void> {
    const body: Buffer[] = []
    let size = 0
    try {
      for await (const chunk of response) {
        size += (chunk as Buffer).length
        if (size > MOST_REFUSAL_BYTES) break
        body.push(chunk as Buffer)
      }
    } catch {
      // What was read tells enough.
    }
    const message = understood(Buffer.concat(body))
    if (message?.type === 'refused') this.receive(message)
    else this.host.log(`${this.gateways.current} answered ${response.statusCode}: this is no gateway for agents.`)
    socket.terminate()
  }

  private receive(message: ToAgent): void {
    switch (message.type) {
      case 'welcome':
        this.welcomed = true
        this.retryMs = FIRST_RETRY_MS
        this.faults.clear()
        this.gateways.reached()
        this.gateways.told(message.gateways ?? [])
        this.clockOffsetMs = message.serverTime - Date.now()
        this.line.up()
        this.tracing.note('line up', { clockOffsetMs: Math.round(this.clockOffsetMs) })
        this.host.log(`connected as ${message.agent}`)
        this.host.onSettings(message)
        this.beat(message.heartbeatSeconds * 1000)
        this.sendReports()
        this.questions.again()
        this.host.onWelcome?.()
        return
      case 'refused':
        this.host.log(`refused: ${message.message}`)
        // What a person must mend is asked about rarely.
        if (!message.retry) this.retryMs = 60_000
        return
      case 'lease':
        this.host.onLease(message.lease)
        this.send({ type: 'accepted', attempt: message.lease.attempt, token: message.lease.token })
        return
      case 'stop':
        this.host.onStop(message.attempt)
        return
      case 'stale':
        this.host.onStale(message.attempt)
        return
      case 'settings':
        this.host.onSettings(message)
        return
      case 'unstorable':
        this.host.log(`The server cannot keep a report of this agent: ${message.why}`)
        this.host.onUnstorable(message.attempt, message.seq, message.why)
        return
      case 'slower':
        this.silentUntil = Date.now() + message.ms
        return
      case 'resend':
        this.sendAgain(message.attempt, message.from)
        return
      case 'receipts':
        this.send({ type: 'receipts', receipts: this.host.receipts?.(message.attempts) ?? [] })
        return
      case 'item':
      case 'desk':
        return this.questions.answered(message, message.answer)
      case 'trace':
        this.tracing.set(message.of)
        return
      case 'desks':
        this.host.onDesks?.(message.desks)
        return
      case 'watch':
        this.host.onWatch?.(message.watches)
        return
      case 'known':
        this.host.onKnown?.(message.files)
        return
      case 'try':
        void this.tryAccount(message)
        return
      case 'ack':
        for (const [attempt, seq] of message.acks) {
          this.outboxes.get(attempt)?.acked(seq)
          this.host.onAcked(attempt)
        }
        this.sendSoon()
    }
  }

  private async tryAccount({ ask, user, secret }: Extract<ToAgent, { type: 'try' }>): Promise<void> {
    const fault = this.host.onTry
      ? await this.host.onTry(user, secret).catch((error: Error) => error.message)
      : 'This agent tries no accounts.'
    this.send({ type: 'tried', ask, fault: fault && clipText(fault, 900) })
  }

  /** The same question again and again is answered ever more slowly: an exchange that leads nowhere costs nobody anything. */
  private sendAgain(attempt: number, from: number): void {
    const before = this.asked.get(attempt)
    const times = before?.from === from ? before.times + 1 : 0
    this.asked.set(attempt, { from, times })
    const answer = (): void => {
      if (this.stopped) return
      const gone = this.host.onResend(attempt, from)
      if (gone) this.send({ type: 'gone', attempt, ...gone })
      this.sendSoon()
    }
    if (times === 0) answer()
    else setTimeout(answer, Math.min(60_000, 250 * 2 ** times)).unref()
  }

  private beat(everyMs: number): void {
    clearInterval(this.beatTimer)
    const beat = (): void => {
      // Nothing heard for three beats although each is answered by TCP at least: the line is dead.
      if (this.socket && this.socket.readyState === WebSocket.OPEN) {
        this.line.pinged()
        this.socket.ping()
      }
      if (Date.now() - this.heardAt > everyMs * 3 + 1000) this.socket?.terminate()
      const full = this.host.full?.() ?? false
      const machine = this.host.machine?.()
      this.send({
        type: 'heartbeat',
        load: this.host.load(),
        used: this.host.used(),
        ...(full ? { full } : {}),
        ...(machine ? { machine: { ...machine } } : {}),
        line: this.lineHealth(),
      })
    }
    this.socket?.on('pong', () => {
      this.heardAt = Date.now()
      this.tracing.note('round trip', { ms: this.line.ponged() })
    })
    this.beatTimer = setInterval(beat, everyMs)
    beat()
  }

  private lineHealth(): LineHealth {
    const { through } = this.gateways.way
    const relay = this.host.relay?.()
    return {
      ...this.line.health(this.unstored, this.clockOffsetMs),
      ...(through === null ? {} : { through }),
      ...(relay ? { relay } : {}),
    }
  }

  private get unstored(): number {
    let count = 0
    for (const outbox of this.outboxes.values()) count += outbox.pending.length
    return count
  }

  private sendReports(): void {
    if (!this.welcomed || !this.socket) return
    const restMs = this.silentUntil - Date.now()
    if (restMs > 0) {
      this.sendTimer ??= setTimeout(() => {
        this.sendTimer = undefined
        this.sendReports()
      }, restMs)
      return
    }
    for (;;) {
      if (this.socket.bufferedAmount > MOST_IN_FLIGHT_BYTES) {
        this.sendSoon()
        return
      }
      const reports: Report[] = []
      for (const outbox of this.outboxes.values()) {
        if (reports.length >= 100) break
        // Output reports may be large: a few of one attempt are a full message.
        reports.push(...outbox.takeUnsent(8))
      }
      if (reports.length === 0) return
      this.send({ type: 'reports', reports })
    }
  }

  private send(message: FromAgent): void {
    const bytes = this.sendQuietly(message)
    if (this.tracing.isOn) this.tracing.note(`said ${message.type}`, factsOf(message, bytes))
  }

  /** Returns how many characters it was; 0: the line is down. */
  private sendQuietly(message: FromAgent): number {
    if (this.socket?.readyState !== WebSocket.OPEN) return 0
    const text = JSON.stringify(message)
    this.socket.send(text)
    return text.length
  }
}

/** What may be known of a message: how large it is and which attempts it is about; nothing of what stands in it. */
function factsOf(message: FromAgent | ToAgent, bytes: number): TraceLine['facts'] {
  if (message.type === 'lease') return { bytes, attempt: message.lease.attempt, run: message.lease.run }
  if (message.type === 'reports') {
    const attempts = new Set(message.reports.map(({ attempt }) => attempt))
    return { bytes, reports: message.reports.length, attempts: attempts.size }
  }
  if (message.type === 'ack') return { bytes, attempts: message.acks.length }
  return 'attempt' in message ? { bytes, attempt: message.attempt } : { bytes }
}

/** Null: not a message of this protocol. */
function understood(data: Buffer): ToAgent | null {
  try {
    return toAgentSchema.parse(JSON.parse(data.toString('utf8')))
  } catch {
    return null
  }
}
