import { readFileSync, statfsSync } from 'node:fs'
import { availableParallelism, freemem, loadavg, totalmem } from 'node:os'

/** How a machine is, in percent but for the load; what cannot be told is missing. */
export interface MachineMeasures {
  /** Memory that nobody could get. */
  readonly memory?: number
  /** Of the disk for data that is the fullest, as much as an ordinary account sees of it. */
  readonly disk?: number
  /** Processes that run or wait, for each processor, over the last minute. */
  readonly load?: number
}

/** File systems that keep nothing over a restart, or are no disks. */
const NO_DISK =
  /^(proc|sysfs|devtmpfs|devpts|tmpfs|cgroup2?|mqueue|overlay|squashfs|autofs|debugfs|tracefs|securityfs|pstore|bpf|fusectl|configfs|hugetlbfs|ramfs|efivarfs|nsfs|binfmt_misc|rpc_pipefs|iso9660|nfs4?|cifs|fuse.*)$/

/** @param mounts the text of /proc/self/mounts, or undefined where there is none */
export function measuresOfThisMachine(mounts: string | undefined = readIf('/proc/self/mounts')): MachineMeasures {
  const memory = usedMemory()
  const disk = fullest(mounts)
  const load = loadavg()[0]
  return {
    ...(memory === undefined ? {} : { memory }),
    ...(disk === undefined ? {} : { disk }),
    ...(load === undefined ? {} : { load: rounded(load / availableParallelism()) }),
  }
}

const KEPT_MS = 20_000
/** The same, looked at anew only every so often: heartbeats come much oftener. */
export function lookingAtMachine(): () => MachineMeasures {
  let kept: MachineMeasures = {}
  let at = -Infinity
  return () => {
    if (performance.now() - at > KEPT_MS) [kept, at] = [measuresOfThisMachine(), performance.now()]
    return kept
  }
}

const rounded = (value: number): number => Math.round(value * 100) / 100

/** Linux tells what could be had without taking it from anybody (`MemAvailable`, proc(5)); elsewhere only what is free is known. */
function usedMemory(): number | undefined {
  const info = readIf('/proc/meminfo')
  const kib = (name: string): number | undefined => {
    const found = new RegExp(`^${name}:\\s+(\\d+) kB$`, 'm').exec(info ?? '')
    return found ? Number(found[1]) : undefined
  }
  const [all, left] = [kib('MemTotal') ?? totalmem() / 1024, kib('MemAvailable') ?? freemem() / 1024]
  return all > 0 ? rounded((1 - left / all) * 100) : undefined
}

/** The fullest, in percent; always with that of the root. A file system that does not answer is passed over. */
function fullest(mounts: string | undefined): number | undefined {
  const places = new Set(['/'])
  for (const line of (mounts ?? '').split('\n')) {
    const [, place, kind] = line.split(' ')
    // Blanks in it stand as octal numbers (fstab(5)).
    if (place && kind && !NO_DISK.test(kind))
      places.add(place.replace(/\\([0-7]{3})/g, (_, code: string) => String.fromCharCode(parseInt(code, 8))))
  }
  const used = [...places].slice(0, 64).flatMap((place) => {
    try {
      const { blocks, bfree, bavail } = statfsSync(place)
      const taken = blocks - bfree
      return blocks > 0 && taken + bavail > 0 ? [rounded((taken / (taken + bavail)) * 100)] : []
    } catch {
      return []
    }
  })
  return used.length > 0 ? Math.max(...used) : undefined
}

function readIf(file: string): string | undefined {
  try {
    return readFileSync(file, 'utf8')
  } catch {
    return undefined
  }
}
