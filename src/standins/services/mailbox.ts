import type { AddressInfo } from 'node:net'
import { SMTPServer } from 'smtp-server'
import { pause, SLOW_MS, type Mood } from './mood'

export interface Mail {
  readonly at: string
  readonly from: string
  readonly to: readonly string[]
  readonly subject: string
  readonly text: string
}

const MOST = 500

/** A mail server that keeps what it is sent, in memory. With `users` it wants one of them to sign in. */
export class Mailbox {
  mood: Mood = 'well'
  readonly mails: Mail[] = []
  private readonly server: SMTPServer

  constructor(users: Readonly<Record<string, string>> | null = null) {
    this.server = new SMTPServer({
      authOptional: users === null,
      allowInsecureAuth: true,
      disabledCommands: ['STARTTLS'],
      logger: false,
      onConnect: (_session, done) => {
        if (this.mood === 'away') return done(new Error('Service not available'))
        if (this.mood === 'slow') void pause(SLOW_MS).then(() => done())
        else done()
      },
      onAuth: ({ username = '', password = '' }, _session, done) =>
        users === null || users[username] === password
          ? done(null, { user: username })
          : done(new Error('Wrong user or password')),
      onRcptTo: ({ address }, _session, done) =>
        this.mood === 'failing' ? done(new Error(`No mailbox ${address} here`)) : done(),
      onData: (stream, session, done) => {
        const chunks: Buffer[] = []
        stream.on('data', (chunk: Buffer) => chunks.push(chunk))
        stream.on('end', () => {
          const whole = Buffer.concat(chunks).toString('utf8')
          const gap = whole.indexOf('\r\n\r\n')
          const { mailFrom, rcptTo } = session.envelope
          this.mails.unshift({
            at: new Date().toISOString(),
            from: mailFrom ? mailFrom.address : '',
            to: rcptTo.map(({ address }) => address),
            subject: /^subject: (.*)$/im.exec(whole.slice(0, gap))?.[1] ?? '',
            text: readable(whole.slice(gap + 4), whole.slice(0, gap)).replaceAll('\r\n', '\n'),
          })
          this.mails.splice(MOST)
          done(null, 'Kept')
        })
      },
    })
    this.server.on('error', () => undefined)
  }

  start(port: number): Promise<number> {
    return new Promise((resolve, reject) => {
      this.server.once('error', reject)
      this.server.listen(port, '127.0.0.1', () => resolve((this.server.server.address() as AddressInfo).port))
    })
  }

  stop(): Promise<void> {
    return new Promise((resolve) => this.server.close(() => resolve()))
  }
}

/** Quoted-printable and base64 (RFC 2045) as text. */
function readable(body: string, head: string): string {
  const encoding = /^content-transfer-encoding: (.*)$/im.exec(head)?.[1]?.trim().toLowerCase()
  if (encoding === 'base64') return Buffer.from(body, 'base64').toString('utf8')
  if (encoding !== 'quoted-printable') return body.trim()
  const bytes = body
    .replaceAll(/=\r?\n/g, '')
    .replaceAll(/=([0-9A-F]{2})/g, (_, hex: string) => String.fromCharCode(parseInt(hex, 16)))
  return Buffer.from(bytes, 'latin1').toString('utf8').trim()
}
