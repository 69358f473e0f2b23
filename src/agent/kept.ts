import { mkdirSync, readdirSync, readFileSync, renameSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { reportsIn } from './journal'
import type { Lease, Report } from './protocol'

/** What is kept of all attempts that are over together, bytes; the oldest go first. */
const MOST_BYTES = 512 * 1024 * 1024
/** More files than this would take long to look through. */
const MOST_FILES = 20_000
/** What is told of in a greeting. */
const MOST_TOLD = 5000
const DEFAULT_HOURS = 24
/** Beside the reports of an attempt lies its receipt. */
const RECEIPT = '.receipt'

/** Whose reports, and what proves that this server handed it out. */
export interface Seen {
  readonly attempt: number
  readonly token: number
  readonly run: number
  readonly proof: string
}

/**
 * Reports of attempts that are over and stored: kept for a while all the same, for a server that is brought back from a back-up and has not heard of them. Beside them the newest attempt that this
 * agent was ever handed, by which a server sees that its database is behind.
 */
export class KeptReports {
  private readonly dir: string
  private seen: Seen | null | undefined

  constructor(
    private readonly stateDir: string,
    private readonly keepMs = hoursOf(process.env.BUGLE_AGENT_KEEP_HOURS) * 3_600_000,
  ) {
    this.dir = join(stateDir, 'kept')
    mkdirSync(this.dir, { recursive: true, mode: 0o700 })
  }

  private fileOf(attempt: number, token: number): string {
    return join(this.dir, `${attempt}-${token}`)
  }

  /** Takes over the journal of an attempt whose folder is about to go, and its receipt. Secrets are masked in it. */
  keep(journal: string, { attempt, token, receipt }: Pick<Lease, 'attempt' | 'token' | 'receipt'>): void {
    if (this.keepMs <= 0) return
    const file = this.fileOf(attempt, token)
    try {
      renameSync(journal, file)
      if (receipt !== undefined) writeFileSync(`${file}${RECEIPT}`, receipt, { mode: 0o600 })
    } catch {
      // It wrote no reports, or the disk is full: then there is nothing to keep.
    }
  }

  /** Newest last. */
  private all(): { attempt: number; token: number; file: string; atMs: number; bytes: number }[] {
    return readdirSync(this.dir)
      .flatMap((name) => {
        const [attempt, token] = name.split('-').map(Number)
        if (!attempt || !token) return []
        const file = join(this.dir, name)
        const { mtimeMs, size } = statSync(file)
        return [{ attempt, token, file, atMs: mtimeMs, bytes: size }]
      })
      .sort((a, b) => a.atMs - b.atMs)
  }

  told(): { attempt: number; token: number }[] {
    return this.all()
      .slice(-MOST_TOLD)
      .map(({ attempt, token }) => ({ attempt, token }))
  }

  reportsOf(attempt: number, token: number, from: number): Report[] {
    return reportsIn(this.fileOf(attempt, token), from)
  }

  /** What the server said of these attempts, of those that are kept. The folder is looked through once, however many are asked about. */
  receiptsOf(attempts: ReadonlySet<number>): string[] {
    return readdirSync(this.dir)
      .filter((name) => name.endsWith(RECEIPT) && attempts.has(Number(name.split('-')[0])))
      .flatMap((name) => {
        try {
          return [readFileSync(join(this.dir, name), 'utf8')]
        } catch {
          return []
        }
      })
  }

  /** What is older than it must be goes, and the oldest of what is too much. */
  tidy(nowMs = Date.now()): void {
    const all = this.all()
    let bytes = all.reduce((sum, one) => sum + one.bytes, 0)
    for (const [i, one] of all.entries()) {
      if (one.atMs > nowMs - this.keepMs && bytes <= MOST_BYTES && all.length - i <= MOST_FILES) continue
      rmSync(one.file, { force: true })
      rmSync(`${one.file}${RECEIPT}`, { force: true })
      bytes -= one.bytes
    }
  }

  get last(): Seen | null {
    if (this.seen === undefined)
      try {
        this.seen = JSON.parse(readFileSync(join(this.stateDir, 'last.json'), 'utf8')) as Seen
      } catch {
        this.seen = null
      }
    return this.seen
  }

  saw({ attempt, token, run, proof }: Lease): void {
    if (proof === undefined || token <= (this.last?.token ?? 0)) return
    this.seen = { attempt, token, run, proof }
    writeFileSync(join(this.stateDir, 'last.json'), JSON.stringify(this.seen), { mode: 0o600 })
  }
}

function hoursOf(text: string | undefined): number {
  const hours = Number(text)
  return text === undefined || text === '' || !Number.isFinite(hours)
    ? DEFAULT_HOURS
    : Math.min(24 * 30, Math.max(0, hours))
}
