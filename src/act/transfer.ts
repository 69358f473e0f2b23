import { createHash } from 'node:crypto'
import { closeSync, lstatSync, readdirSync, readSync, renameSync, rmSync, writeSync } from 'node:fs'
import { basename, dirname, join, posix } from 'node:path'
import type { SFTPWrapper, Stats } from 'ssh2'
import { fill, type Connection } from '@/core/work/connections'
import { ActFault, pathOf, reasonOf, within, type Context } from './context'
import { FileFault, openFolder, openPlain, type Folder } from './files'
import { signIn } from './ssh'

type Transfer = Extract<Connection, { kind: 'transfer' }>
/** After a cut it goes on where it stopped, this often. */
const CUTS = 3
const CUT_PAUSE_MS = 1000
/** Bytes of one request; every server takes as much (draft-ietf-secsh-filexfer-02, section 6.4). */
const PIECE = 32 * 1024
const AT_ONCE = 8
/** How SFTP opens them. */
const FLAGS = { read: 'r', keep: 'r+', new: 'w' } as const
/** SSH_FX_EOF. */
const END_OF_FILE = 1

interface Opened {
  /** Empty at the end of the file. */
  read: (at: number) => Promise<Buffer>
  write: (at: number, bytes: Buffer) => Promise<void>
  close: () => Promise<void>
}

interface Files {
  list: (folder: string) => Promise<{ name: string; size: number; isFile: boolean }[]>
  sizeOf: (path: string) => Promise<number | null>
  /** `keep`: what is in it stays; else it begins empty. */
  open: (path: string, how: 'read' | 'keep' | 'new') => Promise<Opened>
  rename: (from: string, to: string) => Promise<void>
  remove: (path: string) => Promise<void>
  join: (folder: string, name: string) => string
  /** A folder, and those above it, where they are missing. */
  make: (folder: string) => void
  close: () => void
}

/**
 * Files over SFTP, up or down. Each goes to a temporary name, is read back and compared by SHA-256, and only then gets its own name: nobody sees half a file. What a cut
 * left behind is taken up again.
 */
export async function transfer(action: Transfer, context: Context): Promise<void> {
  let client: Awaited<ReturnType<typeof signIn>> | null = null
  let isOver = false
  const work = async (): Promise<void> => {
    for (let cut = 0; ; cut++) {
      client = await signIn(action, context)
      if (isOver) {
        client.end()
        return
      }
      let isCut = false
      client.once('close', () => (isCut = true))
      const here = ofThisMachine()
      try {
        await move(action, here, ofSftp(await sftpOf(client)), context)
        client.end()
        return
      } catch (error) {
        client.end()
        if (error instanceof FileFault) throw new ActFault(error.message)
        if (isOver || (error instanceof ActFault && !isCut)) throw error
        if (cut >= CUTS) throw new ActFault(`The connection was cut ${CUTS + 1} times: ${reasonOf(error)}.`)
        context.warn('The connection was cut; it goes on where it stopped.')
        await new Promise((resolve) => setTimeout(resolve, CUT_PAUSE_MS))
        // Given up meanwhile: nobody signs in again for it.
        if (isOver) throw error
      } finally {
        here.close()
      }
    }
  }
  await within(action.withinSeconds, work(), () => {
    isOver = true
    client?.end()
  })
}

async function move(action: Transfer, here: Files, there: Files, { values, say, hand }: Context): Promise<void> {
  const from = pathOf(action.from, values, action.inputsArePaths)
  const into = pathOf(action.into, values, action.inputsArePaths)
  const [source, target] = action.direction === 'up' ? [here, there] : [there, here]
  if (action.direction === 'down') here.make(into)
  // Only what the job writes is a wildcard, not what a value brings along.
  const fits = wildcard(basename(fill(action.from, values, (raw) => raw.replaceAll('*', STAR).replaceAll('?', MARK))))
  // Nor a name that leads out of the folder: the server may lie.
  const isWanted = (name: string): boolean =>
    fits(name) && !name.includes('/') && !name.includes('\0') && name !== '..' && name !== '.'
  const files = (await source.list(dirname(from))).filter(({ name, isFile }) => isFile && isWanted(name))
  if (files.length < action.least)
    throw new ActFault(`${files.length} files fit ${from}; at least ${action.least} were to be there.`)
  requireLimits(action, files)
  let bytes = 0
  for (const { name, size } of files.sort((a, b) => (a.name < b.name ? -1 : 1))) {
    const path = source.join(dirname(from), name)
    const part = target.join(into, `.${name}.part`)
    const final = target.join(into, name)
    const left = (await target.sizeOf(part)) ?? 0
    // The last pieces before a cut may have holes between them. A rest that is longer than the file is not of it.
    const begin = left <= size ? Math.max(0, left - PIECE * AT_ONCE) : 0
    if (begin > 0) say(`${name}: goes on at byte ${begin} of ${size}`)
    // First there: where it cannot be written, nothing is left open here.
    const to = await target.open(part, begin > 0 ? 'keep' : 'new')
    const room = action.mostMib * 1024 * 1024 - bytes
    const copied = await copy(await source.open(path, 'read'), to, begin, room)
    const sent = await sumOf(await source.open(path, 'read'), room)
    const come = await sumOf(await target.open(part, 'read'), room)
    if (sent !== come) {
      await target.remove(part)
      throw new ActFault(`${name}: what came is not what was sent (SHA-256 ${come}, not ${sent}); it was removed.`)
    }
    await target.rename(part, final)
    say(`${name}  ${copied} bytes  sha256 ${sent}`)
    bytes += copied
  }
  say(`${files.length} ${files.length === 1 ? 'file' : 'files'}, ${bytes} bytes`)
  hand('files', String(files.length))
  hand('bytes', String(bytes))
}

const STAR = '\uE000'
const MARK = '\uE001'

function requireLimits({ mostFiles, mostMib }: Transfer, files: readonly { readonly size: number }[]): void {
  if (files.length > mostFiles) throw new ActFault(`${files.length} files fit; at most ${mostFiles} are moved.`)
  const all = files.reduce((sum, { size }) => sum + size, 0)
  if (all > mostMib * 1024 * 1024)
    throw new ActFault(`They are ${Math.ceil(all / 1024 / 1024)} MiB; at most ${mostMib} MiB are moved.`)
}

/** An answer of the server has a status of SFTP, a cut has none. */
const isAnswer = (error: unknown): boolean => typeof (error as { code?: unknown }).code === 'number'

/** What the server answers, or this machine's file system, is told; a cut is tried again. */
const told =
  (path: string) =>
  (error: unknown): never => {
    if (error instanceof ActFault) throw error
    if (isAnswer(error)) throw new ActFault(`${path}: ${(error as Error).message}.`)
    if ((error as NodeJS.ErrnoException).syscall) throw new ActFault(`${path}: ${reasonOf(error)}.`)
    throw error as Error
  }

/** Some pieces are under way at once: one after the other would wait for the line each time. */
async function pieces(
  from: Opened,
  begin: number,
  most: number,
  take: (at: number, bytes: Buffer) => Promise<void> | void,
): Promise<number> {
  for (let at = begin; ; at += PIECE * AT_ONCE) {
    // A file that grows while it is read, or a server that never comes to an end.
    if (at > most) throw new ActFault('It is larger than what may be moved.')
    const places = Array.from({ length: AT_ONCE }, (_, i) => at + i * PIECE)
    const read = await Promise.all(places.map((place) => whole(from, place)))
    await Promise.all(read.map((bytes, i) => (bytes.length > 0 ? take(places[i] as number, bytes) : undefined)))
    if ((read.at(-1) as Buffer).length < PIECE) return at + read.reduce((sum, bytes) => sum + bytes.length, 0)
  }
}

/** A piece to its end: a server may answer with less than it was asked for. */
async function whole(from: Opened, at: number): Promise<Buffer> {
  const parts: Buffer[] = []
  let length = 0
  while (length < PIECE) {
    const part = (await from.read(at + length)).subarray(0, PIECE - length)
    if (part.length === 0) break
    parts.push(part)
    length += part.length
  }
  return Buffer.concat(parts)
}

/** Returns how long the file is. */
function copy(from: Opened, to: Opened, begin: number, most: number): Promise<number> {
  return closing([from, to], () => pieces(from, begin, most, (at, bytes) => to.write(at, bytes)))
}

async function sumOf(file: Opened, most: number): Promise<string> {
  const hash = createHash('sha256')
  await closing([file], () => pieces(file, 0, most, (_at, bytes) => void hash.update(bytes)))
  return hash.digest('hex')
}

async function closing<T>(files: readonly Opened[], work: () => Promise<T>): Promise<T> {
  let done: T
  try {
    done = await work()
  } catch (error) {
    // What failed is told, not that its file cannot be closed either.
    await Promise.allSettled(files.map((file) => file.close()))
    throw error
  }
  await Promise.all(files.map((file) => file.close()))
  return done
}

/** `*` and `?` as in a shell. */
function wildcard(pattern: string): (name: string) => boolean {
  const source = pattern
    .replaceAll(/[.+^${}()|[\]\\]/g, '\\$&')
    .replaceAll('*', '.*')
    .replaceAll('?', '.')
    .replaceAll(STAR, '\\*')
    .replaceAll(MARK, '\\?')
  const expression = new RegExp(`^${source}$`, 's')
  return (name) => expression.test(name)
}

/** Files here may lie where others write too: see files.ts. */
function ofThisMachine(): Files {
  const folders = new Map<string, Folder>()
  const folderOf = (path: string, make = false): Folder => {
    const known = folders.get(path)
    if (known) return known
    const opened = openFolder(path, make)
    folders.set(path, opened)
    return opened
  }
  const at = (path: string): string => folderOf(dirname(path)).at(basename(path))
  const saying = <T>(path: string, work: () => T): T => {
    try {
      return work()
    } catch (error) {
      if (error instanceof FileFault) throw new ActFault(error.message)
      return told(path)(error)
    }
  }
  return {
    list: async (folder) => {
      try {
        const held = folderOf(folder)
        return readdirSync(held.at('.'), { withFileTypes: true }).map((entry) => {
          const stats = entry.isFile() ? lstatSync(held.at(entry.name), { throwIfNoEntry: false }) : undefined
          return { name: entry.name, isFile: stats?.isFile() === true, size: stats?.size ?? 0 }
        })
      } catch (error) {
        if (error instanceof FileFault) throw new ActFault(error.message)
        throw new ActFault(`${folder} cannot be read: ${reasonOf(error)}.`)
      }
    },
    sizeOf: async (path) => {
      const stats = saying(path, () => lstatSync(at(path), { throwIfNoEntry: false }))
      return stats?.isFile() && stats.nlink === 1 && stats.uid === process.geteuid?.() ? stats.size : null
    },
    open: async (path, how) => {
      const fd = saying(path, () => {
        // Whatever had the name goes, a link too, and never what it leads to.
        if (how === 'new') rmSync(at(path), { force: true })
        return openPlain(at(path), how, path, 0o666)
      })
      return {
        read: async (from) => {
          const buffer = Buffer.alloc(PIECE)
          return saying(path, () => buffer.subarray(0, readSync(fd, buffer, 0, PIECE, from)))
        },
        write: async (to, bytes) => void saying(path, () => writeSync(fd, bytes, 0, bytes.length, to)),
        close: async () => closeSync(fd),
      }
    },
    rename: async (from, to) => saying(to, () => renameSync(at(from), at(to))),
    remove: async (path) => rmSync(at(path), { force: true }),
    join,
    make: (folder) => void saying(folder, () => folderOf(folder, true)),
    close: () => {
      for (const { fd } of folders.values()) closeSync(fd)
      folders.clear()
    },
  }
}

function sftpOf(client: {
  sftp: (done: (error: Error | undefined, sftp: SFTPWrapper) => void) => unknown
}): Promise<SFTPWrapper> {
  return new Promise((resolve, reject) =>
    client.sftp((error, sftp) => (error ? reject(new ActFault(`No SFTP there: ${error.message}.`)) : resolve(sftp))),
  )
}

function ofSftp(sftp: SFTPWrapper): Files {
  // What is asked when the line is cut is not always answered.
  const cut = new Promise<never>((_, reject) => sftp.once('close', () => reject(new Error('the connection was cut'))))
  cut.catch(() => undefined)
  const call = <T>(work: (done: (error: unknown, value: T) => void) => void): Promise<T> =>
    Promise.race([
      cut,
      new Promise<T>((resolve, reject) => work((error, value) => (error ? reject(error as Error) : resolve(value)))),
    ])
  return {
    list: async (folder) => {
      const entries = await call<{ filename: string; attrs: Stats }[]>((done) =>
        sftp.readdir(folder, done as never),
      ).catch(told(folder))
      return entries.map(({ filename, attrs }) => ({ name: filename, size: attrs.size, isFile: attrs.isFile() }))
    },
    sizeOf: (path) =>
      call<Stats>((done) => sftp.stat(path, done as never)).then(
        ({ size }) => size,
        (error: unknown) => {
          if (isAnswer(error)) return null
          throw error as Error
        },
      ),
    open: async (path, how) => {
      const handle = await call<Buffer>((done) => sftp.open(path, FLAGS[how], done as never)).catch(told(path))
      return {
        read: (at) =>
          call<Buffer>((done) =>
            sftp.read(handle, Buffer.alloc(PIECE), 0, PIECE, at, (error, got, buffer) => {
              const isEnd = (error as { code?: number } | undefined)?.code === END_OF_FILE
              done(isEnd ? undefined : error, isEnd ? Buffer.alloc(0) : buffer?.subarray(0, got))
            }),
          ),
        write: (at, bytes) => call<void>((done) => sftp.write(handle, bytes, 0, bytes.length, at, done as never)),
        close: () => call<void>((done) => sftp.close(handle, done as never)),
      }
    },
    rename: async (from, to) => {
      // Over a file that is there, only the extension of OpenSSH renames (draft-ietf-secsh-filexfer-02 forbids it).
      await call<void>((done) => sftp.ext_openssh_rename(from, to, done as never)).catch(async () => {
        await call<void>((done) => sftp.unlink(to, done as never)).catch(() => undefined)
        await call<void>((done) => sftp.rename(from, to, done as never)).catch(told(to))
      })
    },
    remove: (path) => call<void>((done) => sftp.unlink(path, done as never)),
    join: posix.join,
    make: () => undefined,
    close: () => undefined,
  }
}
