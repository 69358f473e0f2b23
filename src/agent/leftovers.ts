import { existsSync, mkdirSync, readdirSync, readFileSync, rmdirSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { signalGroup, statOf } from './process'

/** One process of this machine. */
export interface Found {
  readonly pid: number
  readonly name: string
}

/** The variable that everything an attempt starts inherits, however far it goes away from its group. */
export const MARK_VARIABLE = 'BUGLE_ATTEMPT'

/**
 * Where the processes of an attempt are gathered by the system itself: a group of cgroup v2 below the agent's own (Documentation/admin-guide/cgroup-v2.rst). Null: this system has none, or does
 * not let this account make one.
 */
export function makeCgroup(mark: string): string | null {
  const folder = cgroupFolder(mark)
  if (folder === null) return null
  try {
    mkdirSync(folder)
    return existsSync(join(folder, 'cgroup.kill')) ? folder : (rmdirSync(folder), null)
  } catch {
    return null
  }
}

export function cgroupFolder(mark: string): string | null {
  try {
    const mount = /^cgroup2? (\S+) cgroup2 /m.exec(readFileSync('/proc/mounts', 'utf8'))?.[1]
    const own = /^0::(.*)$/m.exec(readFileSync('/proc/self/cgroup', 'utf8'))?.[1]
    return mount === undefined || own === undefined ? null : join(mount, own, `bugle-${mark}`)
  } catch {
    return null
  }
}

export function removeCgroup(folder: string | null): void {
  if (folder === null) return
  try {
    rmdirSync(folder)
  } catch {
    // Something lives in it still, or it is gone.
  }
}

/** Everything that this attempt started and that still lives, its supervisor left out: by its group of cgroup v2, its session and process group, and its mark. */
export function processesOf(mark: string, leader: number | null, cgroup: string | null, except: number): Found[] {
  const gathered = cgroup === null ? null : inCgroup(cgroup)
  const pids = new Set<number>(gathered ?? [])
  const wanted = `\0${MARK_VARIABLE}=${mark}\0`
  // The group knows all of them; without one they are looked for.
  for (const pid of gathered ? [] : allPids()) {
    const stat = statOf(pid)
    if (!stat) continue
    const isInGroup = leader !== null && (stat.group === leader || stat.session === leader)
    if (isInGroup || hasMark(pid, wanted)) pids.add(pid)
  }
  pids.delete(except)
  return [...pids].flatMap((pid) => {
    const stat = statOf(pid)
    return stat && stat.state !== 'Z' ? [{ pid, name: stat.name }] : []
  })
}

function inCgroup(folder: string): number[] | null {
  try {
    return readFileSync(join(folder, 'cgroup.procs'), 'utf8').split('\n').filter(Boolean).map(Number)
  } catch {
    return null
  }
}

function hasMark(pid: number, wanted: string): boolean {
  try {
    return `\0${readFileSync(`/proc/${pid}/environ`, 'latin1')}`.includes(wanted)
  } catch {
    return false
  }
}

function allPids(): number[] {
  try {
    return readdirSync('/proc').flatMap((name) => (/^\d+$/.test(name) ? [Number(name)] : []))
  } catch {
    return []
  }
}

/** Signals everything of an attempt. SIGKILL by the group, where there is one, also reaches what forks faster than it is looked for. */
export function signalAll(
  signal: NodeJS.Signals,
  mark: string,
  leader: number | null,
  cgroup: string | null,
  except: number,
): void {
  if (leader !== null) signalGroup(leader, signal)
  if (signal === 'SIGKILL' && cgroup !== null) {
    try {
      writeFileSync(join(cgroup, 'cgroup.kill'), '1')
    } catch {
      // The group is gone.
    }
  }
  for (const { pid } of processesOf(mark, leader, cgroup, except)) {
    try {
      process.kill(pid, signal)
    } catch {
      // It has ended.
    }
  }
}
