import type { WebSocket } from 'ws'
import type { LineHealth } from '@/core/fleet/line-health'
import type { ToAgent } from '@/agent/protocol'
import type { LinkedAgent } from '@/service/fleet/agent-link'
import { limit } from '@/store/limits'
import { Rate } from './rate'
import type { Sender } from './sink'

const MIB = 1024 * 1024
/** A connection that was refused has this long to read why. */
const LINGER_MS = 1000
/** A slow-down is told at most this often. */
const TELL_EVERY_MS = 1000

type HoldReason = 'rate' | 'backlog'

/** What holds until something else is said. */
type Standing = Extract<ToAgent, { type: 'settings' | 'watch' | 'desks' | 'trace' }>

/** One agent's connection: what it may send, what it has not read yet, and what was said to it. */
export class Link implements Sender {
  /** The number under which it speaks for its agent; 0: it has not greeted yet. */
  connection = 0
  heardAt = Date.now()
  load: number | null = null
  /** Its disk is full. */
  full = false
  measures: Readonly<Record<string, number>> | null = null
  /** How its line is, as it tells. */
  line: LineHealth | null = null
  /** Attempts sent or held over this connection: not sent again. */
  readonly delivered = new Set<number>()
  /** Questions about items that are being looked at. */
  asking = 0
  /** Files that it tells of are being stored. */
  telling = false
  /** What it can do beside kinds of work, as it said in its hello. */
  abilities: ReadonlySet<string> = new Set()
  /** What it told is being stored. */
  isTracing = false
  /** Sign-ins that it was asked to try over this connection. */
  readonly tries = new Set<number>()
  /** Refused or closing: nothing that comes over it counts. */
  isOver = false
  private acks: [number, number][] = []
  /** What was said last of what holds, by its type. */
  private readonly said = new Map<Standing['type'], string>()
  private readonly messages: Rate
  private readonly bytes: Rate
  private readonly work: Rate
  private readonly holds = new Set<HoldReason>()
  private toldSlowerAt = 0
  private resume: NodeJS.Timeout | undefined

  constructor(
    readonly socket: WebSocket,
    readonly agent: LinkedAgent,
  ) {
    const now = performance.now()
    const messages = limit('agent_messages_per_second')
    const bytes = limit('agent_mib_per_second') * MIB
    this.messages = new Rate(messages, 5 * messages, now)
    this.bytes = new Rate(bytes, 3 * bytes, now)
    const work = limit('agent_work_ms_per_second')
    this.work = new Rate(work, 4 * work, now)
  }

  get agentId(): number {
    return this.agent.id
  }

  get greeted(): boolean {
    return this.connection !== 0
  }

  send(message: ToAgent): void {
    if (this.socket.readyState !== this.socket.OPEN || this.isOver) return
    // One that does not read is cut off before it fills our memory; it gets everything again when it is back.
    if (this.socket.bufferedAmount > limit('agent_unread_mib') * MIB) this.cutOff()
    else this.socket.send(JSON.stringify(message))
  }

  /** Whether there is room for more leases on the way to it. */
  get hasRoom(): boolean {
    return this.socket.bufferedAmount < MIB
  }

  /** Says why, and ends the connection: what still comes over it is not read. */
  refuse(code: string, message: string, retry: boolean): void {
    if (this.isOver) return
    this.send({ type: 'refused', code, message, retry })
    this.isOver = true
    this.forgetTimers()
    this.socket.close(4000, code)
    setTimeout(() => this.socket.terminate(), LINGER_MS).unref()
  }

  cutOff(): void {
    this.isOver = true
    this.forgetTimers()
    this.socket.terminate()
  }

  forgetTimers(): void {
    clearTimeout(this.resume)
  }

  /** A message of so many bytes was read and looked at for so long: one that is too fast is not read from for a while, and is told so. */
  count(bytes: number, workMs: number): void {
    const now = performance.now()
    const pauseMs = Math.max(this.messages.take(1, now), this.bytes.take(bytes, now), this.work.take(workMs, now))
    if (pauseMs <= 0) return
    this.pause('rate')
    clearTimeout(this.resume)
    this.resume = setTimeout(() => this.goOn('rate'), Math.min(pauseMs, 10_000))
    if (now - this.toldSlowerAt < TELL_EVERY_MS) return
    this.toldSlowerAt = now
    this.send({ type: 'slower', ms: Math.ceil(pauseMs), why: 'More messages or bytes than one agent may send.' })
  }

  hold(held: boolean): void {
    if (held) this.pause('backlog')
    else this.goOn('backlog')
  }

  /** Nothing is read from it just now, by our own wish: its silence says nothing. */
  get isHeld(): boolean {
    return this.holds.size > 0
  }

  private pause(why: HoldReason): void {
    this.holds.add(why)
    if (this.socket.readyState === this.socket.OPEN) this.socket.pause()
  }

  private goOn(why: HoldReason): void {
    this.holds.delete(why)
    if (this.holds.size > 0) return
    this.heardAt = Date.now()
    if (this.socket.readyState === this.socket.OPEN) this.socket.resume()
  }

  /** Says what holds from now on, unless it was said over this connection: also that there is nothing, since the agent may know of something from the one before. */
  tell(message: Standing): void {
    const said = JSON.stringify(message)
    if (said !== this.said.get(message.type)) this.send(message)
    this.said.set(message.type, said)
  }

  acked(attempt: number, seq: number): void {
    if (this.acks.length === 0) {
      setImmediate(() => {
        this.send({ type: 'ack', acks: this.acks })
        this.acks = []
      })
    }
    this.acks.push([attempt, seq])
  }

  stale(attempt: number, token: number): void {
    this.send({ type: 'stale', attempt, token })
  }

  resend(attempt: number, from: number): void {
    this.send({ type: 'resend', attempt, from })
  }

  unstorable(attempt: number, seq: number, why: string): void {
    this.send({ type: 'unstorable', attempt, seq, why })
  }

  superseded(): void {
    this.refuse('superseded', 'Another connection speaks for this agent now.', true)
  }
}
