import {
  closeSync,
  constants,
  fstatSync,
  lstatSync,
  mkdirSync,
  openSync,
  readlinkSync,
  readSync,
  type Stats,
} from 'node:fs'
import { isAbsolute, join, resolve, sep } from 'node:path'

/**
 * Files in places where others may write, opened by somebody who may do more than they. Whatever is at a name may be changed at any moment into a link, a pipe or a device: so folders are
 * opened one below the other and held open, a name is looked up only in the folder that is held, links are followed only where the system's or our own account made them, and what was opened is
 * looked at before it is read or written.
 */

const { O_RDONLY, O_RDWR, O_CREAT, O_EXCL, O_NOFOLLOW, O_NONBLOCK, O_DIRECTORY, O_NOCTTY } = constants
const MOST_LINKS = 40

/** It is not what it should be: a link, a pipe, somebody else's. The message says what, for a person. */
export class FileFault extends Error {}

/** Held open, its path is through this process's own table: nobody can put another folder in its place. */
export interface Folder {
  readonly fd: number
  /** Of this name in it. */
  readonly at: (name: string) => string
}

const isTrusted = ({ uid }: Stats): boolean => uid === 0 || uid === process.geteuid?.()

/** Opens a folder component by component. Links on the way count only if root or this account made them (as Linux's `fs.protected_symlinks`). `make`: what is missing is made. */
export function openFolder(path: string, make = false): Folder {
  if (process.platform !== 'linux') {
    if (make) mkdirSync(path, { recursive: true })
    return { fd: openSync(path, O_RDONLY | O_DIRECTORY), at: (name) => join(path, name) }
  }
  let parts = (isAbsolute(path) ? path : resolve(path)).split(sep).filter(Boolean)
  let links = 0
  let fd = openSync('/', O_RDONLY | O_DIRECTORY)
  const within = (name: string): string => `/proc/self/fd/${fd}/${name}`
  try {
    for (let part = parts.shift(); part !== undefined; part = parts.shift()) {
      const next = within(part)
      let stats = lstatSync(next, { throwIfNoEntry: !make })
      if (!stats) {
        mkdirSync(next)
        stats = lstatSync(next)
      }
      if (stats.isSymbolicLink()) {
        if (!isTrusted(stats)) throw new FileFault(`${part} in ${path} is a link that another account made.`)
        if (++links > MOST_LINKS) throw new FileFault(`${path} leads through too many links.`)
        const target = readlinkSync(next)
        parts = [...target.split(sep).filter(Boolean), ...parts]
        if (isAbsolute(target)) fd = changed(fd, openSync('/', O_RDONLY | O_DIRECTORY))
        continue
      }
      fd = changed(fd, openSync(next, O_RDONLY | O_DIRECTORY | (part === '..' || part === '.' ? 0 : O_NOFOLLOW)))
    }
  } catch (error) {
    closeSync(fd)
    throw error
  }
  const held = fd
  return { fd: held, at: (name) => `/proc/self/fd/${held}/${name}` }
}

function changed(old: number, fresh: number): number {
  closeSync(old)
  return fresh
}

/**
 * `read`: what is there. `keep`: what is there goes on to be written. `new`: made by us now; what has the name already is refused.
 * Never waits, never follows, and takes only a plain file. What is written must be ours and have no second name. Returns the descriptor, which the caller closes.
 */
export function openPlain(path: string, how: 'read' | 'keep' | 'new', shown = path, mode = 0o600): number {
  const flags = { read: O_RDONLY, keep: O_RDWR, new: O_RDWR | O_CREAT | O_EXCL }[how]
  let fd: number
  try {
    fd = openSync(path, flags | O_NOFOLLOW | O_NONBLOCK | O_NOCTTY, mode)
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException
    if (code === 'ELOOP' || code === 'EMLINK') throw new FileFault(`${shown} is a link.`)
    if (code === 'ENXIO') throw new FileFault(`${shown} is not a plain file.`)
    throw error
  }
  const stats = fstatSync(fd)
  const fault = !stats.isFile()
    ? `${shown} is not a plain file.`
    : how !== 'read' && (stats.nlink !== 1 || stats.uid !== process.geteuid?.())
      ? `${shown} is another account’s, or has a second name: it is not written to.`
      : null
  if (fault === null) return fd
  closeSync(fd)
  throw new FileFault(fault)
}

/** The beginning of a plain file of this account, at most so many bytes; null: there is none that is one. Never waits, however large or odd it is. */
export function readOwned(path: string, uid: number | undefined, mostBytes: number): Buffer | null {
  let fd: number
  try {
    fd = openPlain(path, 'read')
  } catch {
    return null
  }
  try {
    const stats = fstatSync(fd)
    if ((uid !== undefined && stats.uid !== uid) || stats.nlink !== 1) return null
    const bytes = Buffer.alloc(Math.min(stats.size, mostBytes))
    return bytes.subarray(0, readSync(fd, bytes, 0, bytes.length, 0))
  } finally {
    closeSync(fd)
  }
}
