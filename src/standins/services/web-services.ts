import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http'
import type { AddressInfo } from 'node:net'
import { pipeline } from 'node:stream/promises'
import { html, MOODS, page, pause, SLOW_MS, type Mood } from './mood'
import type { Mail } from './mailbox'

export interface Ticket {
  readonly id: string
  readonly at: string
  readonly title: string
  readonly text: string
  readonly urgency: string
  readonly reference: string
}

/** Something whose mood can be set from the page. */
export interface Moody {
  mood: Mood
}

const MOST_BODY = 1024 * 1024
const BIG_BYTES = 2 * 1024 ** 3

/** By HTTP, on one port: the ticket desk, the application, the mailbox’s page, and a page where each stand-in is told how to behave. */
export class WebServices {
  readonly desk: Moody = { mood: 'well' }
  readonly app: Moody = { mood: 'well' }
  readonly tickets: Ticket[] = []
  private readonly byKey = new Map<string, Ticket>()
  private readonly server: Server

  constructor(
    private readonly mails: readonly Mail[],
    private readonly others: Readonly<Record<string, Moody>>,
  ) {
    this.server = createServer((request, response) => {
      this.answer(request, response).catch(() => response.destroy())
    })
  }

  start(port: number): Promise<number> {
    return new Promise((resolve, reject) => {
      this.server.once('error', reject)
      this.server.listen(port, '127.0.0.1', () => resolve((this.server.address() as AddressInfo).port))
    })
  }

  stop(): Promise<void> {
    this.server.closeAllConnections()
    return new Promise((resolve) => this.server.close(() => resolve()))
  }

  private get moody(): Readonly<Record<string, Moody>> {
    return { 'ticket desk': this.desk, application: this.app, ...this.others }
  }

  private async answer(request: IncomingMessage, response: ServerResponse): Promise<void> {
    const { pathname, searchParams } = new URL(request.url ?? '/', 'http://stand-in')
    const body = await bodyOf(request)
    if (request.method === 'POST' && pathname === '/moods') {
      const [name, mood] = [searchParams.get('of') ?? '', searchParams.get('is') as Mood]
      const one = this.moody[name]
      if (one && MOODS.includes(mood)) one.mood = mood
      response.writeHead(303, { location: '/' }).end()
      return
    }
    const whose = pathname.startsWith('/app')
      ? this.app
      : pathname === '/tickets' && request.method === 'POST'
        ? this.desk
        : null
    if (whose?.mood === 'away') {
      request.socket.destroy()
      return
    }
    if (whose?.mood === 'slow') await pause(SLOW_MS)
    if (whose?.mood === 'failing') return json(response, 503, { error: 'Out of order' })
    if (pathname.startsWith('/app')) return this.answerApp(pathname.slice(4), request, response, body)
    if (pathname === '/tickets' && request.method === 'POST') return this.openTicket(request, response, body)
    if (pathname === '/tickets.json') return json(response, 200, this.tickets)
    if (pathname === '/mails.json')
      return json(
        response,
        200,
        this.mails.map(({ attachments, ...mail }) => ({
          ...mail,
          attachments: attachments.map(({ name, type, bytes: of }) => ({ name, type, bytes: of.length })),
        })),
      )
    const [, nth, part] = /^\/mailbox\/(\d+)\/(\d+)$/.exec(pathname) ?? []
    if (nth !== undefined) return this.attachment(Number(nth), Number(part), response)
    const shown = { '/': () => this.home(), '/mailbox': () => this.mailbox(), '/tickets': () => this.ticketList() }[
      pathname
    ]
    if (!shown) return json(response, 404, { error: 'Nothing here' })
    response.writeHead(200, { 'content-type': 'text/html; charset=utf-8' }).end(page(shown()))
  }

  private openTicket(request: IncomingMessage, response: ServerResponse, body: string): void {
    const key = String(request.headers['idempotency-key'] ?? '')
    const known = this.byKey.get(key)
    if (known) return json(response, 200, known)
    const { title = '', text = '', urgency = 'normal', reference = '' } = JSON.parse(body) as Partial<Ticket>
    if (title === '') return json(response, 422, { error: 'A ticket needs a title' })
    const ticket = {
      id: `T-${1001 + this.tickets.length}`,
      at: new Date().toISOString(),
      title,
      text,
      urgency,
      reference,
    }
    this.tickets.unshift(ticket)
    if (key !== '') this.byKey.set(key, ticket)
    json(response, 201, ticket)
  }

  private answerApp(
    path: string,
    request: IncomingMessage,
    response: ServerResponse,
    body: string,
  ): void | Promise<void> {
    const status = /^\/status\/(\d{3})$/.exec(path)?.[1]
    if (status) return json(response, Number(status), { status: Number(status) })
    switch (path) {
      case '/health':
        return json(response, 200, { ok: true })
      case '/sailings':
        return json(response, 200, {
          count: 3,
          sailings: [
            { boat: 'Tern', at: '06:15' },
            { boat: 'Petrel', at: '06:40' },
            { boat: 'Gannet', at: '07:05' },
          ],
        })
      case '/echo':
        return json(response, 200, { method: request.method, headers: request.headers, body })
      case '/slow':
        return pause(60_000).then(() => json(response, 200, {}))
      case '/big':
        return big(response)
    }
    return json(response, 404, { error: 'Nothing here' })
  }

  private home(): string {
    const rows = Object.entries(this.moody).map(
      ([name, { mood }]) =>
        `<tr><th>${html(name)}</th>${MOODS.map(
          (each) =>
            `<td><form method="post" action="/moods?of=${encodeURIComponent(name)}&is=${each}"><button${each === mood ? ' disabled' : ''}>${each}</button></form></td>`,
        ).join('')}</tr>`,
    )
    return `<h1>Stand-ins</h1><p>Made-up services around Marram Sound Ferries. Tell each how to behave.</p><table>${rows.join('')}</table>`
  }

  /** Counted from the oldest: a mail that comes meanwhile moves none. */
  private attachment(nth: number, part: number, response: ServerResponse): void {
    const found = this.mails.at(-1 - nth)?.attachments[part]
    if (!found) return json(response, 404, { error: 'Nothing here' })
    response
      .writeHead(200, {
        'content-type': found.type === 'application/pdf' ? found.type : 'application/octet-stream',
        'content-disposition': `attachment; filename="${found.name.replaceAll(/[^\w.-]/g, '_')}"`,
      })
      .end(found.bytes)
  }

  private mailbox(): string {
    const mails = this.mails.map(({ at, from, to, subject, text, attachments }, i) => {
      const nth = this.mails.length - 1 - i
      const files = attachments.map(
        ({ name, bytes }, part) =>
          `<p><a href="/mailbox/${nth}/${part}">${html(name)}</a> (${Math.ceil(bytes.length / 1024)} KiB)</p>`,
      )
      return `<article><h2>${html(subject)}</h2><small>${html(at)} · ${html(from)} to ${html(to.join(', '))}</small><pre>${html(text)}</pre>${files.join('')}</article>`
    })
    return `<h1>Mailbox</h1>${mails.join('') || '<p>No mail yet.</p>'}`
  }

  private ticketList(): string {
    const tickets = this.tickets.map(
      ({ id, at, title, text, urgency, reference }) =>
        `<article><h2>${html(id)} ${html(title)}</h2><small>${html(at)} · ${html(urgency)} · ${html(reference)}</small><pre>${html(text)}</pre></article>`,
    )
    return `<h1>Ticket desk</h1>${tickets.join('') || '<p>No ticket yet.</p>'}`
  }
}

function json(response: ServerResponse, status: number, body: unknown): void {
  response.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify(body))
}

async function bodyOf(request: IncomingMessage): Promise<string> {
  const chunks: Buffer[] = []
  let size = 0
  for await (const chunk of request as AsyncIterable<Buffer>)
    if ((size += chunk.length) <= MOST_BODY) chunks.push(chunk)
  return Buffer.concat(chunks).toString('utf8')
}

/** Two gigabytes, as fast as they are taken. */
async function big(response: ServerResponse): Promise<void> {
  response.writeHead(200, { 'content-type': 'application/octet-stream' })
  const chunk = Buffer.alloc(256 * 1024, 'x')
  function* chunks(): Generator<Buffer> {
    for (let sent = 0; sent < BIG_BYTES; sent += chunk.length) yield chunk
  }
  // Who has had enough of it hangs up: that is what it is for.
  await pipeline(chunks, response).catch(() => undefined)
}
