import { existsSync, readFileSync } from 'node:fs'
import { MOST_FOUND, type FoundFile, type Watch } from './protocol'
import { Watching, type Kept, type WatchesHost } from './watching'
import { writeWhole } from './whole-file'

/** Looks for files that triggers wait for. Looking is the truth; what the system says of changes only makes it sooner. */
export class FileWatches {
  private readonly watches = new Map<number, Watching>()
  private kept: Record<string, Kept>

  /** @param file where it keeps what was told, so that nothing is forgotten or told anew by the next process */
  constructor(
    private readonly file: string,
    private readonly host: WatchesHost,
  ) {
    this.kept = read(file)
  }

  /** All that there is to be looked for from now on. */
  set(all: readonly Watch[]): void {
    const wanted = new Map(all.map((each) => [each.trigger, each]))
    for (const [trigger, one] of this.watches)
      if (JSON.stringify(wanted.get(trigger)) !== JSON.stringify(one.watch)) {
        one.stop()
        this.watches.delete(trigger)
      }
    for (const watch of all) {
      if (this.watches.has(watch.trigger)) continue
      const before = this.kept[watch.trigger]
      const kept = before?.path === watch.path ? before : { path: watch.path, told: {}, untold: before?.untold ?? [] }
      this.kept[watch.trigger] = kept
      this.watches.set(watch.trigger, new Watching(watch, kept, this.host, () => this.save()))
    }
    // What was found and never told is told, whatever became of its trigger.
    for (const [trigger, { untold }] of Object.entries(this.kept))
      if (!wanted.has(Number(trigger)) && untold.length === 0) delete this.kept[trigger]
    this.save()
  }

  /** The line is up: what is still to be told is told, and how it goes with looking. */
  connected(): void {
    const faults = [...this.watches].flatMap(([trigger, { fault }]) =>
      fault === undefined ? [] : [{ trigger, fault }],
    )
    if (faults.length > 0) this.host.tellFaults(faults)
    const untold = Object.values(this.kept).flatMap((each) => each.untold)
    for (let i = 0; i < untold.length; i += MOST_FOUND) this.host.tell(untold.slice(i, i + MOST_FOUND))
  }

  /** The server has these: they are told no more. */
  known(files: readonly FoundFile[]): void {
    const isKnown = new Set(files.map(keyOf))
    for (const kept of Object.values(this.kept)) {
      const left = kept.untold.filter((each) => !isKnown.has(keyOf(each)))
      kept.untold.splice(0, kept.untold.length, ...left)
    }
    this.save()
  }

  stop(): void {
    for (const one of this.watches.values()) one.stop()
    this.watches.clear()
  }

  private save(): void {
    try {
      writeWhole(this.file, JSON.stringify(this.kept))
    } catch (error) {
      this.host.log(`What was told of files cannot be kept: ${(error as Error).message}`)
    }
  }
}

const keyOf = ({ trigger, path, size, modified }: FoundFile): string => `${trigger} ${size} ${modified} ${path}`

function read(file: string): Record<string, Kept> {
  try {
    return existsSync(file) ? (JSON.parse(readFileSync(file, 'utf8')) as Record<string, Kept>) : {}
  } catch {
    // Half a file cannot be there. What was told is told again, and the server knows it.
    return {}
  }
}
