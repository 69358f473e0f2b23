import type { TraceLine } from './protocol'

/** What is not sent yet; beyond it lines are left out, and counted. */
const MOST_KEPT = 2000
const SEND_MS = 1000
/** So many in one message. */
const MOST_SENT = 500

export interface TracingHost {
  /** Now, on the server's clock. */
  readonly now: () => number
  /** Returns false where it could not be sent: it is tried again. */
  readonly send: (trace: number, lines: TraceLine[]) => boolean
}

/** What the agent does, told to the server while somebody wants to know: numbers, kinds and lengths of time, and nothing of what work is about. */
export class Tracing {
  private trace: number | null = null
  private untilMs = 0
  private lines: TraceLine[] = []
  private leftOut = 0
  private timer: NodeJS.Timeout | undefined

  constructor(private readonly host: TracingHost) {}

  /** From now on, until an instant on the server's clock; null: no more. */
  set(trace: { readonly trace: number; readonly until: number } | null): void {
    if (trace === null || trace.until <= this.host.now()) return this.end()
    if (this.trace !== trace.trace) this.lines = []
    this.trace = trace.trace
    this.untilMs = trace.until
    this.timer ??= setInterval(() => this.pass(), SEND_MS)
    this.timer.unref()
    this.note('trace', { pid: process.pid, node: process.versions.node, upSeconds: Math.round(process.uptime()) })
  }

  get isOn(): boolean {
    return this.trace !== null
  }

  /** Costs nothing while nobody wants to know. */
  note(what: string, facts: TraceLine['facts'] = {}): void {
    if (this.trace === null) return
    if (this.lines.length >= MOST_KEPT) this.leftOut++
    else this.lines.push({ at: Math.round(this.host.now()), what, facts })
  }

  stop(): void {
    this.pass()
    this.end()
  }

  private end(): void {
    clearInterval(this.timer)
    this.timer = undefined
    this.trace = null
    this.lines = []
    this.leftOut = 0
  }

  private pass(): void {
    if (this.trace === null) return
    if (this.leftOut > 0 && this.lines.length < MOST_KEPT) {
      const { leftOut } = this
      this.leftOut = 0
      this.note('left out', { lines: leftOut })
    }
    while (this.lines.length > 0 && this.host.send(this.trace, this.lines.slice(0, MOST_SENT)))
      this.lines.splice(0, MOST_SENT)
    if (this.host.now() >= this.untilMs) this.end()
  }
}
