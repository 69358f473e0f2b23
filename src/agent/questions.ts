import type { FromAgent, ItemAnswer } from './protocol'

type Asking = Extract<FromAgent, { type: 'item' | 'desk' }>
interface Question {
  readonly message: Asking
  readonly resolve: (answer: ItemAnswer) => void
  readonly reject: (error: Error) => void
}

/** A question that the server did not answer is asked again so often. */
const ASK_AGAIN_MS = 3000

/** What runs ask about items, and what people at robots say: asked again and again until the server answers. The same question gets the same answer. */
export class Questions {
  private readonly open = new Map<string, Question>()
  private timer: NodeJS.Timeout | undefined

  /** @param send says it to the server, if the line is up */
  constructor(private readonly send: (message: Asking) => void) {}

  /** Rejects when the agent ends. */
  ask(message: Asking): Promise<ItemAnswer> {
    return new Promise((resolve, reject) => {
      const key = keyOf(message)
      const before = this.open.get(key)
      // Asked twice at once: both hear the answer.
      const both = (answer: ItemAnswer): void => {
        before?.resolve(answer)
        resolve(answer)
      }
      this.open.set(key, { message, resolve: both, reject })
      this.send(message)
      this.timer ??= setInterval(() => this.again(), ASK_AGAIN_MS)
    })
  }

  /** The line is up again, or some time has passed. */
  again(): void {
    if (this.open.size === 0) {
      clearInterval(this.timer)
      this.timer = undefined
    }
    for (const { message } of this.open.values()) this.send(message)
  }

  answered(of: Parameters<typeof keyOf>[0], answer: ItemAnswer): void {
    const key = keyOf(of)
    this.open.get(key)?.resolve(answer)
    this.open.delete(key)
  }

  /** The attempt is over: nobody waits for an answer any more. */
  drop(attempt: number): void {
    for (const [key, { message }] of this.open)
      if (message.type === 'item' && message.attempt === attempt) this.open.delete(key)
  }

  stop(): void {
    clearInterval(this.timer)
    for (const { reject } of this.open.values()) reject(new Error('The agent ends.'))
    this.open.clear()
  }
}

const keyOf = (of: { type: 'item'; attempt: number; request: string } | { type: 'desk'; request: string }): string =>
  of.type === 'item' ? `${of.attempt} ${of.request}` : `desk ${of.request}`
