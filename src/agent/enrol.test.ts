import { mkdtempSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { enrol, factsOfThisMachine, readIdentity } from './enrol'
import { enrolRequestSchema } from './protocol'

let dir: string
let server: Server | undefined

beforeEach(() => {
  dir = mkdtempSync(join(tmpdir(), 'bugle-enrol-'))
})
afterEach(() => {
  server?.close()
  server = undefined
  rmSync(dir, { recursive: true, force: true })
})

type Answer = readonly [status: number, body: object | string]

/** A server that gives these answers one after the other; what it was asked. */
async function serve(...answers: Answer[]): Promise<{ url: string; asked: { path: string; body: unknown }[] }> {
  const asked: { path: string; body: unknown }[] = []
  server = createServer((request, response) => {
    let text = ''
    request.on('data', (data) => (text += String(data)))
    request.on('end', () => {
      const [status, body] = answers[asked.length] ?? [500, '']
      asked.push({ path: request.url ?? '', body: JSON.parse(text) })
      response.writeHead(status).end(typeof body === 'string' ? body : JSON.stringify(body))
    })
  })
  await new Promise<void>((resolve) => server?.listen(0, '127.0.0.1', resolve))
  return { url: `http://127.0.0.1:${(server.address() as AddressInfo).port}`, asked }
}
const ask = (url: string, log: (message: string) => void = () => undefined, name?: string) =>
  enrol({
    server: url,
    key: 'the-key',
    stateDir: join(dir, 'state'),
    facts: factsOfThisMachine('orrin'),
    log,
    ...(name ? { name } : {}),
  })
const GRANTED = { state: 'granted', agent: 'orrin-ops1', credential: 'secret', gateway: 'ws://here/agent' }

describe('enrolling', () => {
  it('trades the key for a credential that only this account can read', async () => {
    const { url, asked } = await serve([200, GRANTED])
    const { state: _, ...granted } = GRANTED
    const identity = { ...granted, server: url }
    expect(await ask(url, undefined, 'my-name')).toEqual(identity)
    expect(readIdentity(join(dir, 'state'))).toEqual(identity)
    expect(statSync(join(dir, 'state/identity.json')).mode & 0o777).toBe(0o600)
    expect(statSync(join(dir, 'state')).mode & 0o777).toBe(0o700)
    expect(asked[0]?.path).toBe('/api/agent/enrol')
    expect(enrolRequestSchema.parse(asked[0]?.body)).toMatchObject({ key: 'the-key', name: 'my-name' })
  })

  it('waits for a person when the machine is known', async () => {
    const { url, asked } = await serve(
      [200, { state: 'asking', poll: 'p1', message: 'Somebody must say that this is orrin-ops1.' }],
      [200, GRANTED],
    )
    const said: string[] = []
    expect((await ask(url, (message) => said.push(message))).agent).toBe('orrin-ops1')
    expect(said).toEqual(['Somebody must say that this is orrin-ops1.'])
    expect(asked[1]).toEqual({ path: '/api/agent/enrol/poll', body: { poll: 'p1' } })
  })

  it.each<[string, Answer, RegExp]>([
    ['a key that is spent', [403, { detail: 'This key is used up.' }], /^This key is used up\.$/],
    ['a refusal by a person', [200, { state: 'refused', message: 'Refused by Ines.' }], /^Refused by Ines\.$/],
    ['a page that is no Bugle', [404, '<html>'], /answered 404/],
    ['an answer that is none', [200, { state: 'perhaps' }], /state/],
  ])('says what is wrong with %s, and keeps nothing', async (_, answer, message) => {
    const { url } = await serve(answer)
    await expect(ask(url)).rejects.toThrow(message)
    expect(readIdentity(join(dir, 'state'))).toBeNull()
  })

  it('says that a server cannot be reached, and why', async () => {
    await expect(ask('http://127.0.0.1:9')).rejects.toThrow(/http:\/\/127\.0\.0\.1:9\/.* cannot be reached: /)
  })

  it('knows this machine again, and does not tell its own id', () => {
    const facts = factsOfThisMachine('orrin')
    expect(facts.machineId).toBe(factsOfThisMachine('orrin').machineId)
    expect(facts.machineId).not.toBe(factsOfThisMachine('stavin').machineId)
    expect(facts.machineId).toMatch(/^[0-9a-f]{32}$/)
    expect(facts.host).toBe('orrin')
  })

  it('does not take a half-written credential for one', () => {
    writeFileSync(join(dir, 'identity.json.part'), '{"agent":')
    expect(readIdentity(dir)).toBeNull()
  })
})
