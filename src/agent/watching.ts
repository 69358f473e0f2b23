import { watch as watchFolder, type FSWatcher } from 'node:fs'
import { readdir, stat } from 'node:fs/promises'
import { join } from 'node:path'
import { fitsName, joinPath, neverCounts, splitPath } from '@/core/events/file-name'
import { MOST_FOUND, type FoundFile, type Watch } from './protocol'

/** A folder is looked into so often; sooner when the system says that something changed in it. */
const LOOK_MS = 5000
/** After a hint of the system the next look waits so long: changes come in swarms. */
const HINT_MS = 200
/** So many names of a folder count. */
const MOST_FILES = 1000
/** Looking into a folder that does not answer is given up after so long, and tried again. */
const LONGEST_LOOK_MS = 60_000

export interface WatchesHost {
  /** Now, on the server's clock. */
  readonly now: () => number
  /** Tells the server; lost without harm: it is told again. */
  readonly tell: (found: readonly FoundFile[]) => void
  /** How it goes with looking: null where it can. */
  readonly tellFaults: (faults: readonly { readonly trigger: number; readonly fault: string | null }[]) => void
  readonly log: (message: string) => void
}

type State = readonly [size: number, modified: number]
/** What must outlive this process: files that were told, and those that are still to be. */
export interface Kept {
  readonly path: string
  readonly told: Record<string, State>
  readonly untold: FoundFile[]
}

/** One folder that is looked into for one trigger. */
export class Watching {
  /** undefined: it has not looked yet. */
  fault: string | null | undefined
  private readonly folder: string
  private readonly pattern: string
  /** Since when each has stood still as it is. */
  private readonly still = new Map<string, { readonly state: State; readonly sinceMs: number }>()
  private timer: NodeJS.Timeout | undefined
  private dueMs = Infinity
  private hints: FSWatcher | undefined
  private isLooking = false
  private isStopped = false

  constructor(
    readonly watch: Watch,
    private readonly kept: Kept,
    private readonly host: WatchesHost,
    private readonly save: () => void,
  ) {
    const { folder, name } = splitPath(watch.path)
    ;[this.folder, this.pattern] = [folder, name]
    this.lookIn(0)
  }

  stop(): void {
    this.isStopped = true
    clearTimeout(this.timer)
    this.hints?.close()
  }

  private lookIn(ms: number): void {
    const dueMs = performance.now() + ms
    if (this.isStopped || dueMs >= this.dueMs) return
    clearTimeout(this.timer)
    this.dueMs = dueMs
    this.timer = setTimeout(() => void this.look(), ms)
    this.timer.unref()
  }

  private async look(): Promise<void> {
    this.dueMs = Infinity
    if (this.isLooking) return
    this.isLooking = true
    const given = setTimeout(() => this.say(`${this.folder} does not answer.`), LONGEST_LOOK_MS)
    given.unref()
    try {
      // Asked for first: what comes while it looks is not missed.
      this.hint()
      const nextMs = await this.lookOnce()
      this.lookIn(Math.min(LOOK_MS, nextMs))
    } catch (error) {
      this.say(faultOf(this.folder, error as NodeJS.ErrnoException))
      this.lookIn(LOOK_MS)
    } finally {
      clearTimeout(given)
      this.isLooking = false
    }
  }

  /** Returns in how many milliseconds a file may have stood still for long enough. */
  private async lookOnce(): Promise<number> {
    const names = (await readdir(this.folder))
      .filter((name) => !neverCounts(name) && fitsName(this.pattern, name))
      .sort()
    const files = new Map<string, State>()
    for (const name of names.slice(0, MOST_FILES)) {
      const found = await stat(join(this.folder, name)).catch(() => null)
      if (!found?.isFile()) continue
      const changed = changedBy(Math.max(found.mtimeMs, found.ctimeMs)) + this.host.now() - Date.now()
      if (!this.watch.present && changed < this.watch.since) continue
      files.set(name, [found.size, Math.floor(found.mtimeMs)])
    }
    const fresh = this.settled(files)
    this.forget(files)
    const most = names.length > MOST_FILES
    this.say(most ? `More than ${MOST_FILES} files there fit: only the first by name count.` : null)
    if (fresh.found.length > 0) {
      this.kept.untold.push(...fresh.found)
      this.save()
    }
    // What was told and not answered is told again with each look.
    for (let i = 0; i < this.kept.untold.length; i += MOST_FOUND)
      this.host.tell(this.kept.untold.slice(i, i + MOST_FOUND))
    return fresh.nextMs
  }

  private settled(files: ReadonlyMap<string, State>): { found: FoundFile[]; nextMs: number } {
    const [now, settledMs] = [performance.now(), this.watch.settledSeconds * 1000]
    const found: FoundFile[] = []
    let nextMs = Infinity
    for (const [name, state] of files) {
      if (isSame(this.kept.told[name], state)) continue
      const before = this.still.get(name)
      const sinceMs = before && isSame(before.state, state) ? before.sinceMs : now
      this.still.set(name, { state, sinceMs })
      const leftMs = sinceMs + settledMs - now
      if (leftMs > 0) nextMs = Math.min(nextMs, leftMs + 1)
      else {
        const [size, modified] = state
        found.push({ trigger: this.watch.trigger, path: joinPath(this.folder, name), size, modified })
        this.kept.told[name] = state
        this.still.delete(name)
      }
    }
    return { found, nextMs }
  }

  /** What is not there any more may come again. */
  private forget(files: ReadonlyMap<string, State>): void {
    for (const name of this.still.keys()) if (!files.has(name)) this.still.delete(name)
    const gone = Object.keys(this.kept.told).filter((name) => !files.has(name))
    for (const name of gone) delete this.kept.told[name]
    if (gone.length > 0) this.save()
  }

  /** Asks the system to say when something changes; where it cannot, looking is enough. */
  private hint(): void {
    if (this.hints || this.isStopped) return
    try {
      this.hints = watchFolder(this.folder, { persistent: false }, () => this.lookIn(HINT_MS))
      this.hints.on('error', () => {
        this.hints?.close()
        this.hints = undefined
      })
    } catch {
      this.hints = undefined
    }
  }

  private say(fault: string | null): void {
    if (fault === this.fault || this.isStopped) return
    this.fault = fault
    if (fault !== null) this.host.log(fault)
    this.host.tellFaults([{ trigger: this.watch.trigger, fault }])
  }
}

/** The kernel's clock for files goes in steps of its tick, so it lags behind by up to so much. */
const TICK_MS = 10

/**
 * By when a file changed whose system says `ms`: the last moment that this can mean. Some systems know whole seconds
 * only, and no clock of files is exact: what came just after somebody asked for it must not seem older than that.
 */
export const changedBy = (ms: number): number => ms + (ms % 1000 === 0 ? 1000 : TICK_MS)

const isSame = (a: State | undefined, b: State): boolean => a !== undefined && a[0] === b[0] && a[1] === b[1]

function faultOf(folder: string, { code, message }: NodeJS.ErrnoException): string {
  if (code === 'ENOENT') return `There is no folder ${folder}.`
  if (code === 'ENOTDIR') return `${folder} is no folder.`
  if (code === 'EACCES' || code === 'EPERM') return `The agent may not look into ${folder}.`
  return `${folder} cannot be looked into: ${message}`
}
