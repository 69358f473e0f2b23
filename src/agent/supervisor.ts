import { execFileSync, spawn, type ChildProcess, type StdioOptions } from 'node:child_process'
import {
  chownSync,
  closeSync,
  constants,
  existsSync,
  fstatSync,
  fsyncSync,
  openSync,
  readFileSync,
  rmSync,
  writeFileSync,
  writeSync,
} from 'node:fs'
import { Socket } from 'node:net'
import { userInfo } from 'node:os'
import { join } from 'node:path'
import type { Writable } from 'node:stream'
import { shellQuote } from '@/core/work/command'
import { Capture } from './capture'
import { makeCgroup, MARK_VARIABLE, processesOf, removeCgroup, signalAll, type Found } from './leftovers'
import { LineAssembler } from './lines'
import { environmentOf, SHELL, type StartOrder } from './start-order'
import { PatternWatch } from './patterns'
import { startTicksOf } from './process'
import { WAKE, type Begun, type ExitFile, type StartedFile } from './supervisor-files'
import { writeWhole } from './whole-file'

/**
 * Stands between the agent and one command, as a process of its own: so the command survives the agent's end, its limit of time and of output holds, and its own end is known also to an agent
 * that was killed and started again. It has nothing of the job in its environment. Everything it knows and says lies in the attempt's folder.
 *
 *   start.json ──▶ begun ──▶ started.json ──▶ output ──▶ exit
 */

/** Room for the end is made before anything runs: also a full disk must not keep an end from being written down. */
const EXIT_BYTES = 16 * 1024
/** After its command has ended, output that is still on its way has this long to arrive. */
const DRAIN_MS = 200
const STOP_POLL_MS = 500
const FULL_DISK_MS = 1000
const RUNUSER = ['/usr/sbin/runuser', '/sbin/runuser', '/usr/bin/runuser', '/bin/runuser']
/** Of the agent's own environment no more than this reaches a job. */
const PASSED_ON = /^(PATH|LANG|LANGUAGE|LC_[A-Z]+|TZ|TMPDIR)$/
const SAFE_PATH = '/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin'

/**
 * Behind the change of user: says who it is, goes to the working folder, takes the job's variables from a pipe, and becomes the command. Nothing of the job is read before.
 */
const BEHIND = `/usr/bin/id -un >&4; exec 4>&-
cd -- "$1" || exit 125
shift
eval "$(/bin/cat <&3)"
exec 3<&-
exec "$@"`
/** Goes into its group of cgroup v2 before it becomes anything else. */
const INTO_GROUP = `echo $$ > "$1"; shift; exec "$@"`

export async function supervise(dir: string): Promise<void> {
  const begun = join(dir, 'begun')
  try {
    writeFileSync(begun, JSON.stringify({ pid: process.pid, startTicks: startTicksOf(process.pid) } satisfies Begun), {
      flag: 'wx',
      mode: 0o600,
    })
  } catch {
    // Another one has it.
    return
  }
  const order = JSON.parse(readFileSync(join(dir, 'start.json'), 'utf8')) as StartOrder
  await new Supervisor(dir, order).run()
}

type Intent = 'stopped' | 'timedOut'
interface Pipes {
  readonly stdio: number[]
  readonly writers: number[]
  readonly readers: [number, 'out' | 'err'][]
}

class Supervisor {
  private readonly capture: Capture
  private readonly exitFd: number
  private readonly must: PatternWatch | null
  private readonly mustNot: PatternWatch | null
  private readonly beyond = { out: new LineAssembler([], 0), err: new LineAssembler([], 0) }
  private readonly cgroup: string | null
  private child: ChildProcess | undefined
  private intent: Intent | null = null
  private timers: NodeJS.Timeout[] = []

  constructor(
    private readonly dir: string,
    private readonly order: StartOrder,
  ) {
    this.exitFd = openSync(join(dir, 'exit'), 'w', 0o600)
    try {
      writeSync(this.exitFd, Buffer.alloc(EXIT_BYTES, ' '))
    } catch {
      // A disk that is full already: it is tried again at the end.
    }
    this.must = order.must && new PatternWatch(order.must)
    this.mustNot = order.mustNot && new PatternWatch(order.mustNot)
    this.capture = new Capture(join(dir, 'output'), order.maxOutputBytes, (bytes, kind) => this.lookBeyond(bytes, kind))
    this.cgroup = makeCgroup(order.mark)
  }

  async run(): Promise<void> {
    let pipes: Pipes | undefined
    let users: () => Promise<string>
    try {
      pipes = this.openPipes()
      ;({ child: this.child, user: users } = this.start(pipes.stdio))
      await spawned(this.child)
    } catch (error) {
      for (const fd of pipes?.writers ?? []) closeSync(fd)
      await this.writeExit({
        how: 'couldNotStart',
        exitCode: null,
        signal: null,
        detail: startFault(error, this.order),
        at: Date.now(),
      })
      return
    }
    for (const fd of pipes.writers) closeSync(fd)
    const { child } = this
    const ended = new Promise<{ code: number | null; signal: NodeJS.Signals | null }>((resolve) =>
      child.once('exit', (code, signal) => resolve({ code, signal })),
    )
    const reading = pipes.readers.map(([fd, kind]) => this.read(fd, kind))
    const at = Date.now()
    const started: StartedFile = { pid: child.pid ?? 0, user: await users(), at, cgroup: this.cgroup }
    leaveWord(join(this.dir, 'started.json'), JSON.stringify(started))
    this.watchTime(at)
    const onTerm = (): void => this.lookForStop(true)
    const onWake = (): void => this.lookForStop(false)
    process.on('SIGTERM', onTerm)
    process.on(WAKE, onWake)
    const { code, signal } = await ended
    const endedAt = Date.now()
    for (const timer of this.timers) clearTimeout(timer)
    process.off('SIGTERM', onTerm)
    process.off(WAKE, onWake)
    const left = this.endLeftovers()
    await Promise.race([Promise.all(reading.map(({ over }) => over)), pause(DRAIN_MS)])
    if (left.length > 0) this.sayLeft(left)
    await this.finish(code, signal, endedAt)
    if (!this.order.mayLeave) for (const { socket } of reading) socket.destroy()
    removeCgroup(this.cgroup)
    // What may go on keeps somebody who reads what it prints: else it would be ended by its next word.
    if (this.order.mayLeave) await Promise.all(reading.map(({ over }) => over))
  }

  /** Pipes with names, so that the command can open its own output again (`/dev/stdout`); the names are gone before it begins. */
  private openPipes(): Pipes {
    const { account } = this.order
    const names = [join(this.dir, 'pipe.out'), join(this.dir, 'pipe.err')]
    for (const name of names) rmSync(name, { force: true })
    execFileSync('/usr/bin/mkfifo', ['-m', '600', ...names], { env: environmentOf({}) })
    const readers = names.map((name) => openSync(name, constants.O_RDONLY | constants.O_NONBLOCK))
    const writers = names.map((name) => openSync(name, constants.O_WRONLY))
    for (const name of names) {
      if (account) chownSync(name, account.uid, account.gid)
      rmSync(name)
    }
    return {
      stdio: writers,
      writers,
      readers: [
        [readers[0] as number, 'out'],
        [readers[1] as number, 'err'],
      ],
    }
  }

  private start([out, err]: number[]): { child: ChildProcess; user: () => Promise<string> } {
    const { order, cgroup } = this
    const { account } = order
    const base: Record<string, string> = { ...passedOn(), [MARK_VARIABLE]: order.mark }
    const inGroup = (argv: readonly string[]): string[] =>
      cgroup === null ? [...argv] : [SHELL, '-c', INTO_GROUP, 'sh', join(cgroup, 'cgroup.procs'), ...argv]
    const stdio: StdioOptions = ['ignore', out as number, err as number]
    if (account === null) {
      const [program = '', ...args] = inGroup(order.argv)
      const own = ownFacts()
      if (order.isAct) stdio.push(openSync(order.outputsFile, 'a'))
      const child = spawn(program, args, {
        cwd: order.folder,
        env: environmentOf({ ...base, ...own, ...order.environment }),
        stdio,
        detached: true,
      })
      return { child, user: async () => userInfo().username }
    }
    const runuser = RUNUSER.find((file) => existsSync(file))
    if (!runuser) throw new Error('This machine has no runuser: nothing can run under another account.')
    const argv = inGroup([runuser, '-u', account.name, '--', SHELL, '-c', BEHIND, 'sh', order.folder, ...order.argv])
    const [program = '', ...args] = argv
    const child: ChildProcess = spawn(program, args, {
      cwd: '/',
      env: environmentOf({
        ...base,
        PATH: SAFE_PATH,
        HOME: account.home,
        USER: account.name,
        LOGNAME: account.name,
        SHELL: account.shell,
      }),
      stdio: [...stdio, 'pipe', 'pipe'],
      detached: true,
    })
    const variables = child.stdio[3] as Writable
    variables.on('error', () => undefined)
    variables.end(exportsOf({ PATH: base.PATH ?? SAFE_PATH, ...order.environment }))
    return { child, user: () => firstLineOf(child.stdio[4] as Socket, account.name) }
  }

  private read(fd: number, kind: 'out' | 'err'): { socket: Socket; over: Promise<void> } {
    const socket = new Socket({ fd, readable: true, writable: false })
    socket.on('data', (bytes) => this.capture.take(kind, bytes, Date.now()))
    socket.on('error', () => undefined)
    return { socket, over: new Promise((resolve) => socket.once('close', () => resolve())) }
  }

  /** What goes beyond the limit is looked at all the same: a limit of output must not change what came of the run. */
  private lookBeyond(bytes: Buffer, kind: 'out' | 'err'): void {
    if (!this.must && !this.mustNot) return
    const lines = this.beyond[kind].feed(bytes).map(({ text }) => text)
    this.must?.look(lines)
    this.mustNot?.look(lines)
  }

  private watchTime(startedAt: number): void {
    const { timeLimitMs } = this.order
    if (timeLimitMs !== null) this.after(startedAt + timeLimitMs - Date.now(), () => this.stop('timedOut'))
    const poll = (): void => {
      this.lookForStop(false)
      this.after(STOP_POLL_MS, poll)
    }
    this.after(STOP_POLL_MS, poll)
  }

  /** setTimeout takes 2^31 ms at most, some 24 days. */
  private after(ms: number, then: () => void): void {
    const most = 2 ** 31 - 1
    this.timers.push(setTimeout(ms > most ? () => this.after(ms - most, then) : then, Math.min(Math.max(0, ms), most)))
  }

  /** The agent leaves a word, and wakes us. SIGTERM without a word is the machine that goes down, and is passed on. */
  private lookForStop(signalled: boolean): void {
    const word = existsSync(join(this.dir, 'stop')) ? readFileSync(join(this.dir, 'stop'), 'utf8') : null
    if (word === 'kill') this.signal('SIGKILL')
    else if (word !== null) this.stop('stopped')
    else if (signalled) this.signal('SIGTERM')
  }

  private stop(intent: Intent): void {
    if (this.intent) return
    this.intent = intent
    this.capture.note(
      intent === 'stopped' ? 'Asked to stop: sent SIGTERM.' : 'The time limit is over: sent SIGTERM.',
      Date.now(),
    )
    this.signal('SIGTERM')
    this.after(this.order.graceMs, () => {
      this.capture.note('It did not end by itself: sent SIGKILL to all of it.', Date.now())
      this.signal('SIGKILL')
    })
  }

  private signal(signal: NodeJS.Signals): void {
    signalAll(signal, this.order.mark, this.child?.pid ?? null, this.cgroup, process.pid)
  }

  private endLeftovers(): Found[] {
    const left = processesOf(this.order.mark, this.child?.pid ?? null, this.cgroup, process.pid)
    if (left.length > 0 && (!this.order.mayLeave || this.intent)) this.signal('SIGKILL')
    return left
  }

  private sayLeft(left: readonly Found[]): void {
    const names = left.slice(0, 5).map(({ pid, name }) => `${name} (${pid})`)
    const more = left.length > 5 ? ` and ${left.length - 5} more` : ''
    const goOn = this.order.mayLeave && !this.intent
    this.capture.note(
      `The command ended and left processes behind; they ${goOn ? 'go on' : 'were ended'}: ${names.join(', ')}${more}.`,
      Date.now(),
    )
  }

  private async finish(code: number | null, signal: NodeJS.Signals | null, at: number): Promise<void> {
    this.capture.finish(Date.now())
    this.must?.look(this.beyond.out.end().map(({ text }) => text))
    this.mustNot?.look(this.beyond.err.end().map(({ text }) => text))
    const detail = this.capture.trouble === null ? null : `Its output could not be kept: ${this.capture.trouble}`
    await this.writeExit({ how: this.intent ?? 'exited', exitCode: code, signal, detail, at })
  }

  /** On a full disk it is tried until it is written: whoever is done with an attempt has said how it ended. */
  private async writeExit(exit: Omit<ExitFile, 'sawMust' | 'mustNotLine'>): Promise<void> {
    const found = this.mustNot?.found ?? this.mustNot?.trouble ?? null
    const whole: ExitFile = {
      ...exit,
      sawMust: this.must?.found !== undefined && this.must?.found !== null,
      mustNotLine: found?.slice(0, 500) ?? null,
    }
    const text = Buffer.from(JSON.stringify(whole).padEnd(EXIT_BYTES, ' '))
    const write = (): boolean => {
      try {
        writeSync(this.exitFd, text, 0, text.length, 0)
        fsyncSync(this.exitFd)
        return fstatSync(this.exitFd).size >= EXIT_BYTES
      } catch {
        return false
      }
    }
    while (!write()) await new Promise((resolve) => setTimeout(resolve, FULL_DISK_MS))
  }
}

/** Does not keep the process alive by itself. */
const pause = (ms: number): Promise<void> => new Promise((resolve) => void setTimeout(resolve, ms).unref())

/** What the agent's surroundings say about language, zone and programs; nothing else of them is a job's business. */
const passedOn = (): Record<string, string> =>
  Object.fromEntries(Object.entries(process.env).filter((entry): entry is [string, string] => PASSED_ON.test(entry[0])))

const ownFacts = (): Record<string, string> => {
  const { username, homedir, shell } = userInfo()
  return { HOME: homedir, USER: username, LOGNAME: username, SHELL: shell ?? SHELL }
}

const exportsOf = (variables: Readonly<Record<string, string>>): string =>
  Object.entries(variables)
    .filter(([name]) => /^[A-Za-z_][A-Za-z0-9_]*$/.test(name))
    .map(([name, value]) => `export ${name}=${shellQuote(value)}\n`)
    .join('')

const spawned = (child: ChildProcess): Promise<void> =>
  new Promise((resolve, reject) => {
    child.once('spawn', resolve)
    child.once('error', reject)
  })

/** Who it runs as, in its own words; if it says nothing in time, who it was to run as. */
function firstLineOf(stream: Socket, otherwise: string): Promise<string> {
  return new Promise((resolve) => {
    let text = ''
    const done = (): void => {
      clearTimeout(timer)
      stream.destroy()
      resolve(text.split('\n')[0] || otherwise)
    }
    const timer = setTimeout(done, 5000)
    stream.on('data', (bytes) => {
      text += String(bytes)
      if (text.includes('\n') || text.length > 300) done()
    })
    stream.on('error', done)
    stream.on('end', done)
  })
}

function startFault(error: unknown, { argv }: StartOrder): string {
  const { code, message } = error as NodeJS.ErrnoException
  if (code === 'ENOENT') return `This machine has no program ${argv[0]}.`
  if (code === 'E2BIG') return 'The command with its variables is larger than the system takes.'
  return code === undefined ? message : `The operating system could not start it: ${message}`
}

/** Whole or not at all, where that can be done. */
function leaveWord(file: string, text: string): void {
  try {
    writeWhole(file, text)
  } catch {
    // The folder is gone, as the attempt is somebody else's by now; or the disk is full, and the agent does without.
  }
}
