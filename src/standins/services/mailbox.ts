import type { AddressInfo } from 'node:net'
import { simpleParser } from 'mailparser'
import { SMTPServer } from 'smtp-server'
import { pause, SLOW_MS, type Mood } from './mood'

export interface Mail {
  readonly at: string
  readonly from: string
  readonly to: readonly string[]
  readonly subject: string
  readonly text: string
  readonly attachments: readonly Attachment[]
}

interface Attachment {
  readonly name: string
  readonly type: string
  readonly bytes: Buffer
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
          const { mailFrom, rcptTo } = session.envelope
          simpleParser(Buffer.concat(chunks)).then(
            ({ subject = '', text = '', attachments }) => {
              this.mails.unshift({
                at: new Date().toISOString(),
                from: mailFrom ? mailFrom.address : '',
                to: rcptTo.map(({ address }) => address),
                subject,
                text: text.trim(),
                attachments: attachments.map(({ filename = 'file', contentType, content }) => ({
                  name: filename,
                  type: contentType,
                  bytes: content,
                })),
              })
              this.mails.splice(MOST)
              done(null, 'Kept')
            },
            (error: unknown) => done(error as Error),
          )
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
