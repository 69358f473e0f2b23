import { randomUUID } from 'node:crypto'
import { connect, type Socket } from 'node:net'
import { createInterface, type Interface } from 'node:readline'
import { spell } from '@/core/run/judge'
import { deskSocket, type DeskAnswer, type DeskNews } from './desks'
import type { DeskSay, DeskState } from './protocol'

const DESK_USAGE = `now N                 the robot may take question N as soon as it is free
in MINUTES N          not before so many minutes
no N                  not here
start TASK [NAME=VALUE …]
list                  what is asked, and what you may start
help, quit`

const AGAIN_MS = 1000

/** Where words come from and go to. */
export interface Terminal {
  readonly input: NodeJS.ReadableStream
  readonly out: (text: string) => void
}

/**
 * What a person at an attended robot has open: shows what is asked, and passes on what is typed. Ends with `quit` or the end of its input; an agent that is away is called again until it is there.
 */
export function runDesk(folder: string, robot: string, terminal: Terminal): Promise<void> {
  return new Promise((resolve) => new Desk(folder, robot, terminal, resolve).start())
}

class Desk {
  private readonly lines: Interface
  private socket: Socket | undefined
  private again: NodeJS.Timeout | undefined
  private desk: DeskState | null = null
  private isReached = false
  private shown = ''
  private isOver = false
  private readonly waiting = new Map<string, () => void>()

  constructor(
    private readonly folder: string,
    private readonly robot: string,
    private readonly terminal: Terminal,
    private readonly onEnd: () => void,
  ) {
    this.lines = createInterface({ input: terminal.input })
  }

  start(): void {
    this.lines.on('line', (line) => this.read(line.trim()))
    this.lines.on('close', () => this.end())
    this.call()
  }

  private end(): void {
    if (this.isOver) return
    this.isOver = true
    this.lines.close()
    clearTimeout(this.again)
    const leave = (): void => {
      this.socket?.destroy()
      this.onEnd()
    }
    // What was said last is still answered.
    if (this.waiting.size === 0) leave()
    else this.waiting.set('end', leave)
    setTimeout(leave, 3000).unref()
  }

  private call(): void {
    if (this.isOver) return
    const socket = (this.socket = connect(deskSocket(this.folder, this.robot)))
    let rest = ''
    socket.setEncoding('utf8')
    socket.on('data', (text: string) => {
      rest += text
      const lines = rest.split('\n')
      rest = lines.pop() ?? ''
      for (const line of lines) this.hear(JSON.parse(line) as DeskNews | DeskAnswer)
    })
    socket.on('error', (error: NodeJS.ErrnoException) => {
      if (this.isReached || this.shown !== '') return
      this.show(whyNot(this.robot, this.folder, error))
    })
    socket.on('close', () => {
      if (this.isReached) this.say('The agent is away; it is called again.')
      this.isReached = false
      if (!this.isOver) this.again = setTimeout(() => this.call(), AGAIN_MS)
    })
  }

  private hear(message: DeskNews | DeskAnswer): void {
    if ('desk' in message) {
      this.isReached = true
      this.desk = message.desk
      this.show(this.words())
      return
    }
    const { answer, request } = message
    this.say(answer.ok ? (answer.answer as { text: string }).text : answer.why)
    this.waiting.delete(request)
    if (this.waiting.size === 1) this.waiting.get('end')?.()
  }

  /** Only what is new is shown. */
  private show(text: string): void {
    if (text !== this.shown) this.say(text)
    this.shown = text
  }

  private say(text: string): void {
    this.terminal.out(text)
  }

  private words(): string {
    const { desk, robot } = this
    if (desk === null) return `${robot}: the server is out of reach; what it asks is shown when it is back.`
    const who = desk.person === null ? '' : `, ${desk.person}`
    const asked = desk.questions.map(({ title, run, from, usualMs, how, at }, i) => {
      const usual =
        usualMs === null ? 'nobody knows yet how long it takes' : `usually ${spell(Math.round(usualMs / 1000))}`
      return `  ${i + 1}  ${title} (#${run}), from ${from}; ${usual}; ${HOW[how](clock(at))}`
    })
    const may = desk.may.map(
      ({ job, title, inputs }) => `  ${job}  ${title}${inputs.length > 0 ? ` (${inputs.join(', ')})` : ''}`,
    )
    return [
      `${robot}, as ${desk.user}${who}`,
      asked.length === 0 ? 'Nothing is asked.' : `Asked:\n${asked.join('\n')}`,
      ...(may.length > 0 ? [`You may start:\n${may.join('\n')}`] : []),
      'now N · in MINUTES N · no N · start TASK · help · quit',
    ].join('\n')
  }

  private read(line: string): void {
    const [word = '', ...rest] = line.split(/\s+/)
    switch (word) {
      case '':
        return
      case 'quit':
        return this.end()
      case 'help':
        return this.say(DESK_USAGE)
      case 'list':
        return this.say(this.words())
      case 'now':
      case 'no':
        return this.answer(rest[0], (ask) => ({ do: word, ask }))
      case 'in': {
        const minutes = Number(rest[0])
        if (!Number.isInteger(minutes) || minutes < 1 || minutes > 1440)
          return this.say('In how many minutes? From 1 to 1440, as in: in 10 1')
        return this.answer(rest[1], (ask) => ({ do: 'later', ask, minutes }))
      }
      case 'start':
        return this.begin(rest)
      default:
        return this.say(`There is no word ${word} here.\n${DESK_USAGE}`)
    }
  }

  private answer(number: string | undefined, sayOf: (ask: number) => DeskSay): void {
    const questions = this.desk?.questions ?? []
    const question = questions[Number(number ?? (questions.length === 1 ? 1 : NaN)) - 1]
    if (!question)
      return this.say(questions.length === 0 ? 'Nothing is asked.' : `Which one, from 1 to ${questions.length}?`)
    this.pass(sayOf(question.ask))
  }

  private begin([job, ...pairs]: readonly string[]): void {
    if (job === undefined) return this.say('Start what? list shows what you may start.')
    const bad = pairs.find((pair) => !pair.includes('='))
    if (bad !== undefined) return this.say(`${bad} is no input: write NAME=VALUE.`)
    const inputs = Object.fromEntries(
      pairs.map((pair) => [pair.slice(0, pair.indexOf('=')), pair.slice(pair.indexOf('=') + 1)]),
    )
    this.pass({ do: 'start', job, inputs })
  }

  private pass(ask: DeskSay): void {
    if (!this.isReached || !this.socket) return this.say('The agent is away: nothing was said. Try again.')
    const request = randomUUID()
    this.waiting.set(request, () => undefined)
    this.socket.write(`${JSON.stringify({ request, ask })}\n`)
  }
}

const clock = (ms: number): string => new Date(ms).toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })
const HOW: Readonly<Record<DeskState['questions'][number]['how'], (time: string) => string>> = {
  asked: (time) => `answer until ${time}`,
  later: (time) => `you said: at ${time}`,
  agreed: () => 'starts when the robot is free',
  no: () => 'you said no; it still waits',
  late: () => 'not answered in time; it still waits',
}

function whyNot(robot: string, folder: string, { code, message }: NodeJS.ErrnoException): string {
  if (code === 'EACCES') return `Only the account of ${robot} can sit at it.`
  if (code === 'ENOENT' || code === 'ECONNREFUSED')
    return `No agent of this machine has an attended robot ${robot} (looked in ${folder}); it is called again.`
  return `${robot} cannot be reached: ${message}`
}
