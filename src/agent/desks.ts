import { chmodSync, chownSync, mkdirSync, rmSync } from 'node:fs'
import { createServer, type Server, type Socket } from 'node:net'
import { join } from 'node:path'
import { deskSaySchema, type DeskQuestion, type DeskState, type ItemAnswer } from './protocol'
import { accountNamed } from './order'

/** Longer lines are no words of a person. */
const MOST_LINE = 64 * 1024
/** Desk programs of one robot. */
const MOST_OPEN = 4

/** What a desk program is told: a line of JSON each. */
export interface DeskNews {
  /** null: nothing is known, the server is out of reach. */
  readonly desk: DeskState | null
}
export interface DeskAnswer {
  readonly request: string
  readonly answer: ItemAnswer
}

export interface DesksHost {
  /** Where the sockets are. */
  readonly folder: string
  readonly ask: (question: DeskQuestion) => Promise<ItemAnswer>
  /** At which robots somebody is. */
  readonly tellThere: (robots: readonly string[]) => void
  readonly log: (message: string) => void
}

/** Where the desk program of a robot finds its agent. */
export const deskSocket = (folder: string, robot: string): string => join(folder, `${robot}.sock`)

/** The doors at which desk programs call: one for each attended robot of this machine, open to that robot's account alone. */
export class Desks {
  private readonly doors = new Map<string, Door>()
  /** Why nobody can sit at a robot: said once. */
  private readonly faults = new Map<string, string>()
  private isAway = true

  constructor(private readonly host: DesksHost) {}

  /** All attended robots of this machine. */
  set(desks: readonly DeskState[]): void {
    const wanted = new Map(desks.map((desk) => [desk.robot, desk]))
    for (const [robot, door] of this.doors) {
      if (wanted.get(robot)?.user === door.user) continue
      door.close()
      this.doors.delete(robot)
    }
    for (const desk of desks) {
      const door = this.doors.get(desk.robot) ?? this.open(desk)
      door?.tell(desk)
    }
  }

  /** The line is up: who is there is told anew. */
  connected(): void {
    this.isAway = false
    this.tellThere()
  }

  away(): void {
    this.isAway = true
    for (const door of this.doors.values()) door.tell(null)
  }

  stop(): void {
    for (const door of this.doors.values()) door.close()
    this.doors.clear()
  }

  private open({ robot, user }: DeskState): Door | undefined {
    try {
      mkdirSync(this.host.folder, { recursive: true, mode: 0o711 })
      const socket = deskSocket(this.host.folder, robot)
      const door = new Door(socket, robot, user, this.host, () => this.tellThere())
      this.doors.set(robot, door)
      return door
    } catch (error) {
      const { message } = error as Error
      if (this.faults.get(robot) !== message) this.host.log(`Nobody can sit at ${robot}: ${message}`)
      this.faults.set(robot, message)
      return undefined
    }
  }

  private tellThere(): void {
    if (this.isAway) return
    this.host.tellThere([...this.doors.values()].filter(({ isOpen }) => isOpen).map(({ robot }) => robot))
  }
}

class Door {
  private readonly server: Server
  private readonly open = new Set<Socket>()
  private desk: DeskState | null = null

  constructor(
    socket: string,
    readonly robot: string,
    readonly user: string,
    private readonly host: Pick<DesksHost, 'ask' | 'log'>,
    private readonly onChange: () => void,
  ) {
    const account = accountNamed(user)
    // Of an agent that was killed: nobody listens there any more.
    rmSync(socket, { force: true })
    this.server = createServer((client) => this.serve(client))
    this.server.on('error', (error) => host.log(`Nobody can sit at ${robot}: ${error.message}`))
    this.server.listen(socket, () => {
      try {
        chmodSync(socket, 0o600)
        if (account) chownSync(socket, account.uid, account.gid)
      } catch {
        // It is closed already.
      }
    })
    this.server.unref()
  }

  get isOpen(): boolean {
    return this.open.size > 0
  }

  tell(desk: DeskState | null): void {
    this.desk = desk
    for (const client of this.open) say(client, { desk })
  }

  close(): void {
    for (const client of this.open) client.destroy()
    this.server.close()
  }

  private serve(client: Socket): void {
    if (this.open.size >= MOST_OPEN) return void client.destroy()
    this.open.add(client)
    client.on('error', () => undefined)
    client.once('close', () => {
      this.open.delete(client)
      if (!this.isOpen) this.onChange()
    })
    say(client, { desk: this.desk })
    if (this.open.size === 1) this.onChange()
    let rest = ''
    client.setEncoding('utf8')
    client.on('data', (text: string) => {
      rest += text
      const lines = rest.split('\n')
      rest = lines.pop() ?? ''
      if (rest.length > MOST_LINE) return void client.destroy()
      for (const line of lines) this.hear(client, line)
    })
  }

  private hear(client: Socket, line: string): void {
    const said = wordIn(line)
    if (!said) return void client.destroy()
    this.host.ask({ robot: this.robot, ...said }).then(
      (answer) => say(client, { request: said.request, answer }),
      // The agent ends: whoever asked sees it by the closed door.
      () => client.destroy(),
    )
  }
}

function say(client: Socket, what: DeskNews | DeskAnswer): void {
  if (client.writable) client.write(`${JSON.stringify(what)}\n`)
}

function wordIn(line: string): { request: string; ask: unknown } | null {
  try {
    const { request, ask } = JSON.parse(line) as { request?: unknown; ask?: unknown }
    const say = deskSaySchema.parse(ask)
    return typeof request === 'string' && /^[\w-]{8,64}$/.test(request) ? { request, ask: say } : null
  } catch {
    return null
  }
}
