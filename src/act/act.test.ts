import { execFileSync } from 'node:child_process'
import {
  lchownSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs'
import { createServer as createHttpServer, type IncomingMessage, type ServerResponse } from 'node:http'
import { createServer } from 'node:net'
import { gzipSync } from 'node:zlib'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { SignIn } from '@/core/work/account'
import { connectionSchema, type Connection, type ConnectionKind } from '@/core/work/connections'
import { Mailbox } from '@/standins/services/mailbox'
import { SshMachine } from '@/standins/services/ssh-machine'
import { WebServices } from '@/standins/services/web-services'
import { told } from './act.test-help'
import { http } from './http'
import { mail } from './mail'
import { reach } from './reach'
import { ssh } from './ssh'
import { ticket } from './ticket'
import { transfer } from './transfer'

const USERS = { harbour: 'kelp-and-tide-9' }
const ACCOUNT: SignIn = {
  account: 'harbour-files',
  user: 'harbour',
  secret: 'kelp-and-tide-9',
  hosts: ['127.0.0.1'],
  plain: true,
  unknownHosts: true,
}
let dir: string
let mailbox: Mailbox
let machine: SshMachine
let web: WebServices
const ports = { mail: 0, ssh: 0, web: 0 }

beforeEach(async () => {
  dir = mkdtempSync(join(tmpdir(), 'bugle-act-'))
  mkdirSync(join(dir, 'far'))
  mkdirSync(join(dir, 'here'))
  mailbox = new Mailbox(USERS)
  machine = new SshMachine({ folder: join(dir, 'far'), users: USERS, mayRun: true })
  web = new WebServices(mailbox.mails, { mailbox, machine })
  ports.mail = await mailbox.start(0)
  ports.ssh = await machine.start(0)
  ports.web = await web.start(0)
})
afterEach(async () => {
  await Promise.all([mailbox.stop(), machine.stop(), web.stop()])
  rmSync(dir, { recursive: true, force: true })
})

const make = <K extends ConnectionKind>(
  action: { kind: K } & Record<string, unknown>,
): Extract<Connection, { kind: K }> => connectionSchema.parse(action) as Extract<Connection, { kind: K }>
const app = (path: string): string => `http://127.0.0.1:${ports.web}/app${path}`
/** A port at which nothing listens. */
const nowhere = (): Promise<number> =>
  new Promise((resolve) => {
    const probe = createServer().listen(0, () => {
      const { port } = probe.address() as { port: number }
      probe.close(() => resolve(port))
    })
  })

describe('a reach check', () => {
  it('says what answers, by TCP and by HTTP, and what does not', async () => {
    const { context, lines, outputs } = told({ host: '127.0.0.1' })
    await reach(make({ kind: 'reach', by: 'tcp', host: '${host}', port: ports.ssh }), context)
    expect(lines).toEqual([
      `→ TCP 127.0.0.1:${ports.ssh}`,
      expect.stringMatching(/accepted in \d+ ms: it can be reached/),
    ])
    expect(Number(outputs.milliseconds)).toBeGreaterThan(0)
    await reach(make({ kind: 'reach', by: 'http', host: app('/status/404') }), context)
    await expect(reach(make({ kind: 'reach', by: 'http', host: app('/status/503') }), context)).rejects.toThrow(
      'answers with 503',
    )
    const closed = await nowhere()
    await expect(reach(make({ kind: 'reach', by: 'tcp', host: '127.0.0.1', port: closed }), context)).rejects.toThrow(
      `127.0.0.1:${closed} cannot be reached: the connection was refused: nothing listens there.`,
    )
    await expect(
      reach(make({ kind: 'reach', by: 'tcp', host: 'no-such-host.invalid', port: 1 }), context),
    ).rejects.toThrow(/no address is known|could not be looked up/)
  })

  it('by ICMP asks the machine’s own ping, once, and tells its answers apart', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'bugle-ping-'))
    const path = process.env.PATH
    // It answers with the code that the host is called by, and keeps what it was asked.
    const script = `#!/bin/sh\necho "$@" >> ${folder}/asked\nfor last; do :; done\nexit "\${last#host-}"\n`
    writeFileSync(join(folder, 'ping'), script, { mode: 0o755 })
    const ping = (host: string, context = told().context): Promise<void> =>
      reach(make({ kind: 'reach', by: 'ping', host, withinSeconds: 3 }), context)
    try {
      process.env.PATH = `${folder}:${path}`
      const { context, lines } = told({ host: 'host-0' })
      await ping('${host}', context)
      expect(lines).toEqual([
        '→ ICMP echo request to host-0',
        expect.stringMatching(/^← answered in \d+ ms: it can be reached\.$/),
      ])
      await expect(ping('host-1')).rejects.toThrow('host-1 does not answer.')
      await expect(ping('host-2')).rejects.toThrow('ICMP to host-2 is not possible from this machine')
      expect(readFileSync(join(folder, 'asked'), 'utf8').split('\n')[0]).toBe('-c 1 -W 3 host-0')
      await expect(ping('${flag}', told({ flag: '-f' }).context)).rejects.toThrow('-f is not a host.')
      process.env.PATH = folder
      rmSync(join(folder, 'ping'))
      await expect(ping('host-0')).rejects.toThrow('This machine has no ping: check a TCP port instead.')
    } finally {
      process.env.PATH = path
      rmSync(folder, { recursive: true })
    }
  })

  it('does not wait longer than it may', async () => {
    const { context } = told()
    await expect(
      reach(make({ kind: 'reach', by: 'http', host: app('/slow'), withinSeconds: 1 }), context),
    ).rejects.toThrow('No answer within 1 s.')
  })
})

describe('an HTTP request', () => {
  it('sends method, headers and body with values encoded for their place, and picks values out of the answer', async () => {
    const { context, lines, outputs } = told({ boat: 'Tern & "Co"\r\nX-Bad: 1', note: 'a\nb' }, ACCOUNT)
    await http(
      make({
        kind: 'http',
        method: 'POST',
        url: `${app('/echo')}?boat=\${boat}`,
        headers: { 'Content-Type': 'application/json', 'X-Boat': '${boat}' },
        body: '{"boat":"${boat}","note":"${note}"}',
        pick: { sent: '/body', agent: '/headers/user-agent' },
      }),
      context,
    )
    expect(JSON.parse(outputs.sent ?? '')).toEqual({ boat: 'Tern & "Co"\r\nX-Bad: 1', note: 'a\nb' })
    expect(outputs.agent).toBe('Bugle')
    expect(lines[0]).toContain('boat=Tern%20%26%20%22Co%22%0D%0AX-Bad%3A%201')
    expect(lines).toContain('  authorization: Basic, as harbour')
    expect(lines.join('\n')).not.toContain(ACCOUNT.secret)
    const { headers } = JSON.parse(lines.find((line) => line.startsWith('{"method"')) ?? '{}') as { headers: object }
    expect(headers).toMatchObject({ 'x-boat': 'Tern & "Co" X-Bad: 1' })
    expect(headers).not.toHaveProperty('x-bad')
  })

  it('fails for an unexpected status, an answer that is no JSON, and a pointer to nothing, each told', async () => {
    const { context } = told()
    const get = (path: string, more: object = {}): Promise<void> =>
      http(make({ kind: 'http', url: app(path), ...more }), context)
    await expect(get('/status/404')).rejects.toThrow('The answer is 404; expected 2xx.')
    await expect(get('/status/404', { expect: ['200', '404'] })).resolves.toBeUndefined()
    await expect(get('/sailings', { pick: { first: '/sailings/9/boat' } })).rejects.toThrow(
      'The answer has nothing at /sailings/9/boat for first.',
    )
    await expect(
      http(make({ kind: 'http', url: `http://127.0.0.1:${ports.web}/mailbox`, pick: { x: '/x' } }), context),
    ).rejects.toThrow('not JSON')
  })

  it('does not take two gigabytes in, nor wait for ever', async () => {
    const { context, lines, warnings } = told()
    await http(make({ kind: 'http', url: app('/big') }), context)
    expect(lines.some((line) => /more than \d+ bytes/.test(line))).toBe(true)
    expect(warnings).toContain('The answer is larger than 10 MiB; the rest was not read.')
    await expect(http(make({ kind: 'http', url: app('/slow'), withinSeconds: 1 }), context)).rejects.toThrow(
      'No answer within 1 s.',
    )
  })
})

/** A server that answers as the test says, and keeps what it was asked. */
async function server(
  answer: (request: IncomingMessage, response: ServerResponse) => void,
): Promise<{ url: string; asked: IncomingMessage[]; stop: () => void }> {
  const asked: IncomingMessage[] = []
  const http = createHttpServer((request, response) => {
    asked.push(request)
    answer(request, response)
  })
  await new Promise<void>((resolve) => http.listen(0, '127.0.0.1', resolve))
  const { port } = http.address() as { port: number }
  return { url: `http://127.0.0.1:${port}`, asked, stop: () => (http.closeAllConnections(), http.close()) }
}

describe('a request that is sent on', () => {
  const servers: { stop: () => void }[] = []
  afterEach(() => {
    for (const one of servers.splice(0)) one.stop()
  })
  const there = async (): Promise<{ url: string; asked: IncomingMessage[] }> => {
    const one = await server((_, response) => response.end('there'))
    servers.push(one)
    return one
  }
  const sending = async (to: string, status: number) => {
    const one = await server((request, response) => {
      if (request.url === '/same') response.writeHead(status, { location: '/here' }).end()
      else if (request.url === '/here') response.end('here')
      else response.writeHead(status, { location: to }).end()
    })
    servers.push(one)
    return one
  }
  const act = (url: string, more: object = {}): Promise<void> =>
    http(make({ kind: 'http', url, headers: { 'X-Key': 'of the job' }, ...more }), told({}, ACCOUNT).context)

  it('to another origin goes without credentials, headers of the job and body', async () => {
    const other = await there()
    const first = await sending(`${other.url}/x`, 302)
    await act(first.url)
    expect(first.asked[0]?.headers).toMatchObject({
      authorization: expect.stringMatching(/^Basic /) as string,
      'x-key': 'of the job',
    })
    expect(other.asked[0]?.headers).not.toHaveProperty('authorization')
    expect(other.asked[0]?.headers).not.toHaveProperty('x-key')
    await act(first.url, { method: 'POST', body: 'secret' })
    expect(other.asked[1]?.method).toBe('GET')
    const whole = await sending(`${other.url}/x`, 307)
    await expect(act(whole.url, { method: 'POST', body: 'secret' })).rejects.toThrow('another server was not meant')
    expect(other.asked).toHaveLength(2)
  })

  it('within its origin keeps them', async () => {
    const first = await sending('/', 307)
    await act(`${first.url}/same`, { method: 'PUT', body: 'x' })
    expect(first.asked[1]?.headers).toMatchObject({
      'x-key': 'of the job',
      authorization: expect.any(String) as string,
    })
    expect(first.asked[1]?.method).toBe('PUT')
  })

  it('for ever is not followed for ever', async () => {
    const first = await sending('/', 302)
    await expect(act(first.url)).rejects.toThrow('more than 5 times')
  })

  it('to an address that may not be called is not followed, nor is one that leads there by name', async () => {
    const other = await there()
    const first = await sending(other.url.replace('127.0.0.1', '127.0.0.2'), 302)
    const { context } = told()
    const mayReach = (address: string): boolean => address === '127.0.0.1'
    await expect(http(make({ kind: 'http', url: first.url }), { ...context, mayReach })).rejects.toThrow(
      '127.0.0.2 is an address that this server does not call',
    )
    const named = other.url.replace('127.0.0.1', 'localhost')
    await expect(http(make({ kind: 'http', url: named }), { ...context, mayReach: () => false })).rejects.toThrow(
      'does not call',
    )
    await http(make({ kind: 'http', url: named }), { ...context, mayReach: (address) => address.startsWith('127.') })
    expect(other.asked).toHaveLength(1)
  })

  it('with an answer that unpacks to much stops at the limit', async () => {
    const packed = gzipSync(Buffer.alloc(50_000_000))
    const one = await server((_, response) => response.writeHead(200, { 'content-encoding': 'gzip' }).end(packed))
    servers.push(one)
    const { context, warnings } = told()
    await http(make({ kind: 'http', url: one.url }), context)
    expect(warnings.join()).toContain('larger than 10 MiB')
  })
})

describe('values of inputs', () => {
  const go = (url: string, values: Record<string, string>, headers = {}): Promise<void> =>
    http(make({ kind: 'http', url: app(url), headers }), told(values).context)

  it('lead nowhere else in an address', async () => {
    for (const boat of ['..', '.', ''])
      await expect(go('/x/${boat}/status', { boat })).rejects.toThrow('leads elsewhere')
    await expect(go('/${a}${b}/x', { a: '.', b: '.' })).rejects.toThrow('leads elsewhere')
    await expect(go('/echo/${boat}', { boat: 'a/../../b' })).rejects.toThrow('The answer is 404')
    await go('/echo?boat=${boat}', { boat: '..' })
  })

  it('that no header can hold are refused with a sentence', async () => {
    await go('/echo', { note: 'a\u2028b\u2029c\u0085d' }, { 'X-Note': '${note}' })
    await expect(go('/echo', { note: '→' }, { 'X-Note': '${note}' })).rejects.toThrow(
      'The header X-Note would hold U+2192',
    )
  })

  it('are one mail address each', async () => {
    const send = (who: string): Promise<void> =>
      mail(
        make({ kind: 'mail', host: '127.0.0.1', port: ports.mail, from: 'a@b.example', to: ['${who}'], subject: 's' }),
        told({ who }, ACCOUNT).context,
      )
    for (const who of [
      'a@b.example, c@d.example',
      'x <a@b.example>',
      'a@b.example;c@d.example',
      'a b@c',
      'a@b.example\nBcc: e@f.g',
    ])
      await expect(send(who)).rejects.toThrow('is not one mail address')
    await send('a@b.example')
    expect(mailbox.mails).toHaveLength(1)
  })

  it('are one part of a path', async () => {
    const move = (harbour: string, more: object = {}): Promise<void> =>
      transfer(
        make({
          kind: 'transfer',
          host: '127.0.0.1',
          port: ports.ssh,
          direction: 'up',
          from: `${dir}/here/\${harbour}.csv`,
          into: '/',
          ...more,
        }),
        told({ harbour }, ACCOUNT).context,
      )
    writeFileSync(join(dir, 'here', 'a.csv'), 'x')
    writeFileSync(join(dir, 'here', '*.csv'), 'star')
    await expect(move('../here/a')).rejects.toThrow('has a separator in it')
    // A wildcard that a value brings along is a plain character.
    await move('*')
    expect(readdirSync(join(dir, 'far'))).toEqual(['*.csv'])
    await move('sub/../a', { inputsArePaths: true }).catch((error: Error) =>
      expect(error.message).toContain('leads elsewhere'),
    )
  })
})

describe('an account', () => {
  const careful: SignIn = { ...ACCOUNT, plain: false, unknownHosts: false }
  it('that does not say so is not sent unencrypted', async () => {
    await expect(http(make({ kind: 'http', url: app('/echo') }), told({}, careful).context)).rejects.toThrow(
      'unencrypted',
    )
    const letter = {
      kind: 'mail' as const,
      host: '127.0.0.1',
      port: ports.mail,
      from: 'a@b.example',
      to: ['c@d.example'],
      subject: 's',
    }
    await expect(mail(make(letter), told({}, careful).context)).rejects.toThrow(/unencrypted|TLS/)
    expect(mailbox.mails).toEqual([])
  })

  it('goes to no host that it does not name', async () => {
    const other = { ...ACCOUNT, hosts: ['files.marram.example'] }
    const { context } = told({}, other)
    await expect(http(make({ kind: 'http', url: app('/echo') }), context)).rejects.toThrow(
      'may not sign in at 127.0.0.1',
    )
    await expect(
      ssh(make({ kind: 'ssh', host: '127.0.0.1', port: ports.ssh, command: 'true' }), context),
    ).rejects.toThrow('may not sign in')
  })

  it('goes to no machine whose key nobody wrote down; the key is told', async () => {
    const action = { kind: 'ssh' as const, host: '127.0.0.1', port: ports.ssh, command: 'true' }
    await expect(ssh(make(action), told({}, careful).context)).rejects.toThrow(machine.fingerprint)
    expect(await ssh(make({ ...action, hostKey: machine.fingerprint }), told({}, careful).context)).toBe(0)
  })

  it('does not override what the job writes itself', async () => {
    const { context, outputs } = told({}, ACCOUNT)
    await http(
      make({
        kind: 'http',
        url: app('/echo'),
        headers: { Authorization: 'Own' },
        pick: { sent: '/headers/authorization' },
      }),
      context,
    )
    expect(outputs.sent).toBe('Own')
  })
})

describe('a ticket', () => {
  const open = { kind: 'ticket' as const, title: 'Close of day: ${step}', text: 'It failed.', urgency: 'high' }
  it('is opened once per attempt, and its number handed on', async () => {
    const { context, outputs } = told({ step: 'ledger' })
    const action = make({ ...open, url: `http://127.0.0.1:${ports.web}/tickets` })
    await ticket(action, context)
    await ticket(action, context)
    expect(web.tickets).toMatchObject([
      { id: 'T-1001', title: 'Close of day: ledger', text: 'It failed.', urgency: 'high', reference: '#18204' },
    ])
    expect(outputs.ticket).toBe('T-1001')
  })

  it('fails while the desk is out of order or away, and says so', async () => {
    const { context } = told({ step: 'x' })
    const action = make({ ...open, url: `http://127.0.0.1:${ports.web}/tickets` })
    web.desk.mood = 'failing'
    await expect(ticket(action, context)).rejects.toThrow('The ticket desk answers with 503')
    web.desk.mood = 'away'
    await expect(ticket(action, context)).rejects.toThrow(/cut the connection|other side closed/)
    expect(web.tickets).toEqual([])
  })
})

describe('a mail', () => {
  const letter = {
    kind: 'mail' as const,
    host: '127.0.0.1',
    from: 'bugle@marram.example',
    to: ['office@marram.example', '${who}'],
  }
  it('takes along what is given to it, as it is', async () => {
    const bytes = Buffer.from([0x25, 0x50, 0x44, 0x46, 0, 255, 13, 10])
    const { context } = told({ who: 'ines@marram.example' }, ACCOUNT)
    const attachments = [{ name: 'Nächte.pdf', type: 'application/pdf', bytes }]
    await mail(make({ ...letter, port: ports.mail, subject: 'x', text: 'y' }), { ...context, attachments })
    expect(mailbox.mails[0]).toMatchObject({
      text: 'y',
      attachments: [{ name: 'Nächte.pdf', type: 'application/pdf', bytes }],
    })
  })

  it('is sent, with its text as it was written', async () => {
    const { context, lines } = told({ who: 'ines@marram.example', boat: 'Kelda\r\nBcc: all@marram.example' }, ACCOUNT)
    await mail(make({ ...letter, port: ports.mail, subject: 'Night of ${boat}', text: 'Grüße\n= done =' }), context)
    expect(mailbox.mails).toMatchObject([
      {
        from: 'bugle@marram.example',
        to: ['office@marram.example', 'ines@marram.example'],
        subject: 'Night of Kelda Bcc: all@marram.example',
        text: 'Grüße\n= done =',
      },
    ])
    expect(lines.some((line) => line.startsWith('← 250'))).toBe(true)
  })

  it('tells what the server refuses', async () => {
    const send = (account: SignIn | null): Promise<void> =>
      mail(make({ ...letter, port: ports.mail, subject: 'x' }), told({ who: 'a@marram.example' }, account).context)
    await expect(send({ ...ACCOUNT, secret: 'wrong' })).rejects.toThrow(/refused: 535/)
    mailbox.mood = 'failing'
    await expect(send(ACCOUNT)).rejects.toThrow(/refused: 550 .*No mailbox/)
    mailbox.mood = 'away'
    await expect(send(ACCOUNT)).rejects.toThrow(/mail server/)
    expect(mailbox.mails).toEqual([])
  })
})

describe('a command over SSH', () => {
  const run = (command: string, values: Record<string, string> = {}, more: object = {}): Promise<number> =>
    ssh(make({ kind: 'ssh', host: '127.0.0.1', port: ports.ssh, command, ...more }), told(values, ACCOUNT).context)

  it('has its inputs as variables that are never read as code, and its exit code', async () => {
    expect(await run('printf %s "${note}" > said; exit 7', { note: "it's; $(touch broken)" })).toBe(7)
    expect(readFileSync(join(dir, 'far', 'said'), 'utf8')).toBe("it's; $(touch broken)")
    expect(readdirSync(join(dir, 'far'))).toEqual(['said'])
  })

  it('signs in nowhere else: the host key is checked, or shown', async () => {
    expect(await run('true', {}, { hostKey: machine.fingerprint })).toBe(0)
    const other = `SHA256:${'A'.repeat(43)}`
    await expect(run('true', {}, { hostKey: other })).rejects.toThrow(
      `The host key is ${machine.fingerprint}, not ${other}: it may be another machine.`,
    )
    const { context, warnings } = told({}, ACCOUNT)
    await ssh(make({ kind: 'ssh', host: '127.0.0.1', port: ports.ssh, command: 'true' }), context)
    expect(warnings.join()).toContain(machine.fingerprint)
  })

  it('tells a wrong password from a machine that is away', async () => {
    machine.mood = 'failing'
    await expect(run('true')).rejects.toThrow('127.0.0.1 did not let harbour in.')
    const closed = await nowhere()
    await expect(run('true', {}, { port: closed })).rejects.toThrow('nothing listens there')
    // One that takes the call and puts it down again, as a machine that is going down does.
    machine.mood = 'away'
    await expect(run('true')).rejects.toThrow(/^127\.0\.0\.1:\d+ closed the connection before harbour was let in\.$/)
    await expect(ssh(make({ kind: 'ssh', host: 'h', command: 'true' }), told().context)).rejects.toThrow(
      'It needs a run-as account.',
    )
  })
})

describe('a transfer', () => {
  const move = (change: object, values: Record<string, string> = {}) => {
    const all = told(values, ACCOUNT)
    const action = make({
      kind: 'transfer',
      host: '127.0.0.1',
      port: ports.ssh,
      direction: 'up',
      from: `${dir}/here/*.csv`,
      into: '/',
      ...change,
    })
    return { ...all, done: transfer(action, all.context) }
  }
  const big = Buffer.alloc(1_500_000, 'tide table ')

  it('brings the files that fit, whole and under their own names', async () => {
    writeFileSync(join(dir, 'here', 'a.csv'), 'one')
    writeFileSync(join(dir, 'here', 'b.csv'), big)
    writeFileSync(join(dir, 'here', 'c.txt'), 'not this one')
    writeFileSync(join(dir, 'far', 'a.csv'), 'an older and longer one')
    const { done, outputs, lines } = move({})
    await done
    expect(readdirSync(join(dir, 'far')).sort()).toEqual(['a.csv', 'b.csv'])
    expect(readFileSync(join(dir, 'far', 'a.csv'), 'utf8')).toBe('one')
    expect(readFileSync(join(dir, 'far', 'b.csv')).equals(big)).toBe(true)
    expect(outputs).toEqual({ files: '2', bytes: String(big.length + 3) })
    expect(lines).toContain('a.csv  3 bytes  sha256 7692c3ad3540bb803c020b3aee66cd8887123234ea0c6e7143c0add73ff431ed')
  })

  it('fetches, into a folder that it makes', async () => {
    writeFileSync(join(dir, 'far', 'manifest-1.json'), '{}')
    await move({ direction: 'down', from: '/manifest-?.json', into: join(dir, 'new', 'folder') }).done
    expect(readdirSync(join(dir, 'new', 'folder'))).toEqual(['manifest-1.json'])
  })

  it('takes no name that leads out of the folder', async () => {
    machine.nameOf = (name) => (name === 'evil.csv' ? '../evil.csv' : name)
    writeFileSync(join(dir, 'far', 'evil.csv'), 'x')
    await expect(move({ direction: 'down', from: '/*.csv', into: join(dir, 'new') }).done).rejects.toThrow(
      '0 files fit',
    )
    expect(readdirSync(dir).sort()).toEqual(['far', 'here', 'new'])
  })

  it('goes on where a cut stopped it; nobody sees half a file', async () => {
    writeFileSync(join(dir, 'here', 'b.csv'), big)
    machine.cutAfterBytes = 700_000
    const { done, warnings, lines } = move({})
    await done
    expect(warnings.filter((line) => line.includes('was cut'))).toHaveLength(2)
    expect(lines.some((line) => /b\.csv: goes on at byte \d+ of 1500000/.test(line))).toBe(true)
    expect(readFileSync(join(dir, 'far', 'b.csv')).equals(big)).toBe(true)
    expect(readdirSync(join(dir, 'far'))).toEqual(['b.csv'])
  })

  it('takes as long as it may in all, moves no more than it may, and does not sign in again after giving up', async () => {
    writeFileSync(join(dir, 'here', 'b.csv'), big)
    machine.cutAfterBytes = 40_000
    const { done, lines } = move({ withinSeconds: 1.2 })
    await expect(done).rejects.toThrow('No answer within 1.2 s.')
    const signIns = (): number => lines.filter((line) => line.startsWith('→ ssh')).length
    const before = signIns()
    await new Promise((resolve) => setTimeout(resolve, 1500))
    expect(signIns()).toBe(before)
    machine.cutAfterBytes = Infinity
    await expect(move({ mostMib: 1 }).done).rejects.toThrow('at most 1 MiB')
    writeFileSync(join(dir, 'here', 'a.csv'), 'x')
    await expect(move({ mostFiles: 1 }).done).rejects.toThrow('2 files fit; at most 1')
  })

  it('neither follows links that others made, nor writes through one', async () => {
    writeFileSync(join(dir, 'secret'), 'of root')
    symlinkSync(join(dir, 'secret'), join(dir, 'here', 'link.csv'))
    await expect(move({}).done).rejects.toThrow('0 files fit')
    rmSync(join(dir, 'here', 'link.csv'))
    // What would have been written through the name that a transfer uses meanwhile.
    writeFileSync(join(dir, 'far', 'm.json'), 'from afar')
    mkdirSync(join(dir, 'into'))
    symlinkSync(join(dir, 'secret'), join(dir, 'into', '.m.json.part'))
    await move({ direction: 'down', from: '/m.json', into: join(dir, 'into') }).done
    expect(readFileSync(join(dir, 'secret'), 'utf8')).toBe('of root')
    expect(readFileSync(join(dir, 'into', 'm.json'), 'utf8')).toBe('from afar')
    // A pipe in its place keeps nobody waiting.
    rmSync(join(dir, 'into', 'm.json'))
    execFileSync('mkfifo', [join(dir, 'into', '.m.json.part')])
    await move({ direction: 'down', from: '/m.json', into: join(dir, 'into') }).done
    // Nor a folder that another account's link leads to.
    if (process.getuid?.() !== 0) return
    symlinkSync('/etc', join(dir, 'elsewhere'))
    lchownSync(join(dir, 'elsewhere'), 65_534, 65_534)
    await expect(move({ direction: 'down', from: '/m.json', into: join(dir, 'elsewhere') }).done).rejects.toThrow(
      'a link that another account made',
    )
  })

  it('gives up when it is cut again and again, and leaves no file that looks whole', async () => {
    writeFileSync(join(dir, 'here', 'b.csv'), big)
    machine.cutAfterBytes = 40_000
    await expect(move({}).done).rejects.toThrow('The connection was cut 4 times')
    expect(readdirSync(join(dir, 'far'))).toEqual(['.b.csv.part'])
  })

  it('throws away what was left of another file', async () => {
    writeFileSync(join(dir, 'here', 'a.csv'), big)
    writeFileSync(join(dir, 'far', '.a.csv.part'), Buffer.alloc(600_000, 'of yesterday '))
    await expect(move({}).done).rejects.toThrow('what came is not what was sent')
    await move({}).done
    expect(readFileSync(join(dir, 'far', 'a.csv')).equals(big)).toBe(true)
  })

  it('says what is missing: files, a folder', async () => {
    await expect(move({}).done).rejects.toThrow('0 files fit')
    await expect(move({ least: 0 }).done).resolves.toBeUndefined()
    writeFileSync(join(dir, 'here', 'a.csv'), 'x')
    await expect(move({ into: '/no/such' }).done).rejects.toThrow('No such file')
    writeFileSync(join(dir, 'far', 'b.csv'), 'x')
    await expect(move({ direction: 'down', from: '/b.csv', into: `${dir}/here/a.csv` }).done).rejects.toThrow('a.csv: ')
    await expect(move({ from: `${dir}/nowhere/*` }).done).rejects.toThrow('cannot be read')
  })
})
