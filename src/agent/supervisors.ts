import { spawn, type ChildProcess } from 'node:child_process'
import { createInterface } from 'node:readline'
import { environmentOf } from './start-order'

/** One that has nothing to do ends after this long. */
const IDLE_MS = 60_000

interface Member {
  readonly child: ChildProcess
  /** Told when what it looks after is over, or when it ended itself. */
  done: (() => void) | null
  timer: NodeJS.Timeout | undefined
}

/** The supervisors of one agent: one for each attempt that is under way, used again for the next. */
export class Supervisors {
  private idle: Member[] = []

  /** @param program the supervisor's file */
  constructor(private readonly program: string) {}

  /** Has an attempt looked after; `done` is told when there is news of its end. */
  begin(dir: string, done: () => void): void {
    const member = this.idle.pop() ?? this.start()
    clearTimeout(member.timer)
    member.done = done
    member.child.stdin?.write(`${dir}\n`)
  }

  /** With nothing in its environment but where programs are: what runs as we do reads nothing that a job could have set. */
  private start(): Member {
    const { PATH, LANG, TZ, TMPDIR } = process.env
    const child = spawn(process.execPath, [this.program], {
      cwd: '/',
      env: environmentOf({ PATH, LANG, TZ, TMPDIR }),
      stdio: ['pipe', 'pipe', 'ignore'],
      detached: true,
    })
    const member: Member = { child, done: null, timer: undefined }
    const over = (): void => {
      const { done } = member
      member.done = null
      done?.()
    }
    child.on('error', over)
    child.on('exit', () => {
      this.idle = this.idle.filter((other) => other !== member)
      over()
    })
    child.stdin?.on('error', () => undefined)
    if (child.stdout)
      createInterface({ input: child.stdout }).on('line', () => {
        this.idle.push(member)
        member.timer = setTimeout(() => this.dismiss(member), IDLE_MS)
        member.timer.unref()
        over()
      })
    // What it looks after outlives us.
    child.unref()
    for (const stream of [child.stdin, child.stdout]) (stream as unknown as { unref?: () => void } | null)?.unref?.()
    return member
  }

  private dismiss(member: Member): void {
    this.idle = this.idle.filter((other) => other !== member)
    member.child.stdin?.end()
  }

  /** Sends home those that have nothing to do. */
  stop(): void {
    for (const member of [...this.idle]) {
      clearTimeout(member.timer)
      this.dismiss(member)
    }
  }
}
