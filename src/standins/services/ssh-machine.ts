import { spawn } from 'node:child_process'
import { createHash, generateKeyPairSync } from 'node:crypto'
import {
  closeSync,
  fstatSync,
  openSync,
  readdirSync,
  readSync,
  renameSync,
  statSync,
  unlinkSync,
  writeSync,
  type Stats,
} from 'node:fs'
import type { AddressInfo } from 'node:net'
import { join, normalize } from 'node:path'
import ssh2, { type Attributes, type Connection, type SFTPWrapper } from 'ssh2'
import { pause, SLOW_MS, type Mood } from './mood'

const { OPEN_MODE, STATUS_CODE } = ssh2.utils.sftp

export interface SshOptions {
  /** What it shows as its root by SFTP, and where its commands run. */
  readonly folder: string
  readonly users: Readonly<Record<string, string>>
  /** Whether it carries out commands; a plain file server does not. */
  readonly mayRun: boolean
}

/** A machine that is reached by SSH: a file server (SFTP, draft-ietf-secsh-filexfer-02), and one that carries out commands. */
export class SshMachine {
  mood: Mood = 'well'
  /** Cuts each connection after so many written bytes. */
  cutAfterBytes: number | null = null
  /** How it calls its files in listings; a hostile one lies. */
  nameOf = (name: string): string => name
  readonly fingerprint: string
  private readonly server: ssh2.Server
  private readonly open = new Set<Connection>()

  constructor(private readonly options: SshOptions) {
    const { privateKey } = generateKeyPairSync('rsa', {
      modulusLength: 2048,
      privateKeyEncoding: { type: 'pkcs1', format: 'pem' },
      publicKeyEncoding: { type: 'pkcs1', format: 'pem' },
    })
    const parsed = ssh2.utils.parseKey(privateKey)
    if (parsed instanceof Error) throw parsed
    const key = Array.isArray(parsed) ? parsed[0] : parsed
    const hash = createHash('sha256').update(key.getPublicSSH()).digest('base64').replace(/=+$/, '')
    this.fingerprint = `SHA256:${hash}`
    this.server = new ssh2.Server({ hostKeys: [privateKey] }, (client) => this.serve(client))
  }

  start(port: number): Promise<number> {
    return new Promise((resolve, reject) => {
      this.server.once('error', reject)
      this.server.listen(port, '127.0.0.1', () => resolve((this.server.address() as AddressInfo).port))
    })
  }

  stop(): Promise<void> {
    for (const client of this.open) client.end()
    return new Promise((resolve) => this.server.close(() => resolve()))
  }

  private serve(client: Connection): void {
    this.open.add(client)
    client.on('close', () => this.open.delete(client))
    client.on('error', () => undefined)
    if (this.mood === 'away') {
      client.end()
      return
    }
    client.on('authentication', (context) => {
      void (async () => {
        if (this.mood === 'slow') await pause(SLOW_MS)
        const isRight =
          this.mood !== 'failing' &&
          context.method === 'password' &&
          this.options.users[context.username] === context.password
        if (isRight) context.accept()
        else context.reject(['password'])
      })()
    })
    client.on('ready', () => {
      client.on('session', (accept) => {
        const session = accept()
        session.on('sftp', (acceptSftp) => new SftpServing(acceptSftp(), this.options.folder, this, client))
        session.on('exec', (acceptExec, rejectExec, { command }) => {
          if (!this.options.mayRun) {
            rejectExec()
            return
          }
          const stream = acceptExec()
          const child = spawn('sh', ['-c', command], { cwd: this.options.folder })
          child.stdout.pipe(stream.stdout, { end: false })
          child.stderr.pipe(stream.stderr, { end: false })
          child.on('close', (code) => {
            stream.exit(code ?? 255)
            stream.end()
          })
          stream.on('close', () => child.kill('SIGKILL'))
        })
      })
    })
  }
}

/** One SFTP session over a folder. */
class SftpServing {
  private readonly handles = new Map<number, { fd: number } | { names: string[]; folder: string }>()
  private next = 1
  private written = 0

  constructor(
    sftp: SFTPWrapper,
    private readonly root: string,
    machine: Pick<SshMachine, 'cutAfterBytes' | 'nameOf'>,
    client: Connection,
  ) {
    const tell = (request: number, work: () => void): void => {
      try {
        work()
      } catch (error) {
        const { code } = error as { code?: string }
        sftp.status(request, code === 'ENOENT' ? STATUS_CODE.NO_SUCH_FILE : STATUS_CODE.FAILURE)
      }
    }
    const done = (request: number, work: () => void): void =>
      tell(request, () => {
        work()
        sftp.status(request, STATUS_CODE.OK)
      })
    sftp.on('REALPATH', (request, path) =>
      tell(request, () => {
        const name = normalize(`/${path}`)
        sftp.name(request, [{ filename: name, longname: name, attrs: {} as Attributes }])
      }),
    )
    for (const event of ['STAT', 'LSTAT'] as const)
      sftp.on(event as 'STAT', (request, path) =>
        tell(request, () => sftp.attrs(request, attributes(statSync(this.at(path))))),
      )
    sftp.on('FSTAT', (request, handle) =>
      tell(request, () => sftp.attrs(request, attributes(fstatSync(this.fd(handle))))),
    )
    sftp.on('OPEN', (request, path, flags) =>
      tell(request, () => {
        const mode = flags & OPEN_MODE.WRITE ? (flags & OPEN_MODE.TRUNC ? 'w' : 'r+') : 'r'
        sftp.handle(request, this.keep({ fd: openSync(this.at(path), mode) }))
      }),
    )
    sftp.on('READ', (request, handle, offset, length) =>
      tell(request, () => {
        const buffer = Buffer.alloc(Math.min(length, 32 * 1024))
        const got = readSync(this.fd(handle), buffer, 0, buffer.length, offset)
        if (got === 0) sftp.status(request, STATUS_CODE.EOF)
        else sftp.data(request, buffer.subarray(0, got))
      }),
    )
    sftp.on('WRITE', (request, handle, offset, data) => {
      const most = machine.cutAfterBytes
      if (most !== null && this.written + data.length > most) {
        client.end()
        return
      }
      this.written += data.length
      done(request, () => writeSync(this.fd(handle), data, 0, data.length, offset))
    })
    sftp.on('CLOSE', (request, handle) =>
      done(request, () => {
        const held = this.handles.get(handle.readUInt32BE(0))
        if (held && 'fd' in held) closeSync(held.fd)
        this.handles.delete(handle.readUInt32BE(0))
      }),
    )
    sftp.on('OPENDIR', (request, path) =>
      tell(request, () => {
        const folder = this.at(path)
        sftp.handle(request, this.keep({ folder, names: readdirSync(folder) }))
      }),
    )
    sftp.on('READDIR', (request, handle) =>
      tell(request, () => {
        const held = this.handles.get(handle.readUInt32BE(0))
        if (!held || 'fd' in held || held.names.length === 0) {
          sftp.status(request, STATUS_CODE.EOF)
          return
        }
        const { folder } = held
        sftp.name(
          request,
          held.names.splice(0).map((name) => ({
            filename: machine.nameOf(name),
            longname: name,
            attrs: attributes(statSync(join(folder, name))),
          })),
        )
      }),
    )
    sftp.on('REMOVE', (request, path) => done(request, () => unlinkSync(this.at(path))))
    sftp.on('RENAME', (request, from, to) => done(request, () => renameSync(this.at(from), this.at(to))))
    sftp.on('SETSTAT', (request) => done(request, () => undefined))
    sftp.on('FSETSTAT', (request) => done(request, () => undefined))
    client.on('close', () => {
      for (const held of this.handles.values()) if ('fd' in held) closeSync(held.fd)
    })
  }

  /** Nothing leads out of the folder. */
  private at(path: string): string {
    return join(this.root, normalize(`/${path}`))
  }

  private keep(what: { fd: number } | { names: string[]; folder: string }): Buffer {
    const handle = Buffer.alloc(4)
    handle.writeUInt32BE(this.next)
    this.handles.set(this.next++, what)
    return handle
  }

  private fd(handle: Buffer): number {
    const held = this.handles.get(handle.readUInt32BE(0))
    if (!held || !('fd' in held)) throw new Error('No such handle')
    return held.fd
  }
}

const attributes = (stats: Stats): Attributes => ({
  mode: stats.mode,
  uid: stats.uid,
  gid: stats.gid,
  size: stats.size,
  atime: Math.floor(stats.atimeMs / 1000),
  mtime: Math.floor(stats.mtimeMs / 1000),
})
