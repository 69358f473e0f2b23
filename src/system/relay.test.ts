import { execFileSync } from 'node:child_process'
import { mkdtempSync, rmSync } from 'node:fs'
import { connect, createServer, type AddressInfo, type Server } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { eventually, freePort, poolOfAll, startSystem, type System } from './harness.test-help'

jest.setTimeout(180_000)

const WORD = 'curlew-plover-relay-9'

let system: System | undefined
let recorder: Server | undefined
let host: string | undefined
const dir = mkdtempSync(join(tmpdir(), 'bugle-relay-'))
afterAll(async () => {
  await system?.stop()
  recorder?.close()
  if (host !== undefined) execFileSync('ip', ['netns', 'delete', host])
  rmSync(dir, { recursive: true, force: true })
})

/** A host that reaches this one at the address alone that is returned; where none can be made (not as root), it stands beside the others. */
function farHost(): string {
  const name = `bugle${process.pid}`
  const net = `10.213.${process.pid % 250}`
  const ip = (...args: string[]): void => void execFileSync('ip', args, { stdio: 'pipe' })
  try {
    ip('netns', 'add', name)
  } catch {
    process.stderr.write('      no network namespace can be made: the far machine is this one\n')
    return '127.0.0.1'
  }
  host = name
  const [near, far] = [`bn${process.pid}`, `bf${process.pid}`]
  ip('link', 'add', near, 'type', 'veth', 'peer', 'name', far, 'netns', name)
  ip('address', 'add', `${net}.1/30`, 'dev', near)
  ip('link', 'set', near, 'up')
  ip('-n', name, 'address', 'add', `${net}.2/30`, 'dev', far)
  ip('-n', name, 'link', 'set', far, 'up')
  ip('-n', name, 'link', 'set', 'lo', 'up')
  return `${net}.1`
}

/** A certificate of this server, as its administrator would make one. */
function certificate(): { cert: string; key: string } {
  const [cert, key] = [join(dir, 'cert.pem'), join(dir, 'key.pem')]
  const names = 'subjectAltName=IP:127.0.0.1'
  const made = ['-x509', '-newkey', 'ec', '-pkeyopt', 'ec_paramgen_curve:prime256v1', '-nodes', '-days', '2']
  execFileSync('openssl', ['req', ...made, '-subj', '/CN=bugle', '-addext', names, '-keyout', key, '-out', cert], {
    stdio: 'pipe',
  })
  return { cert, key }
}

/** Stands before the engine, and keeps all that relays pass on to it and back. */
async function recording(enginePort: number): Promise<{ port: number; all: () => Buffer }> {
  const parts: Buffer[] = []
  recorder = createServer((caller) => {
    const engine = connect(enginePort, '127.0.0.1')
    for (const [from, to] of [
      [caller, engine],
      [engine, caller],
    ] as const) {
      from.on('data', (part: Buffer) => parts.push(part))
      from.on('error', () => to.destroy())
      from.on('close', () => to.destroy())
      from.pipe(to)
    }
  })
  await new Promise<void>((resolve) => recorder?.listen(0, '127.0.0.1', resolve))
  return { port: (recorder.address() as AddressInfo).port, all: () => Buffer.concat(parts) }
}

it('a machine that cannot reach the server works through relays, which learn nothing; a killed one costs seconds', async () => {
  system = await startSystem({ leaseSeconds: 60, agents: 3 })
  const { cert, key } = certificate()
  const enginePort = await freePort()
  await system.start('engine1', {
    BUGLE_TLS_CERT_FILE: cert,
    BUGLE_TLS_KEY_FILE: key,
    // Whoever has said hello is not cut off after this.
    BUGLE_LIMIT_GATEWAY_HELLO_SECONDS: '3',
    BUGLE_GATEWAY_PORT: String(enginePort),
  })
  await system.start('web')
  const { port, all } = await recording(enginePort)
  const trust = { NODE_EXTRA_CA_CERTS: cert }
  const near = farHost()
  const [first, second] = [await freePort(), await freePort()]
  for (const [name, at] of [
    ['agent1', first],
    ['agent3', second],
  ] as const)
    await system.start(
      name,
      { ...trust, BUGLE_AGENT_GATEWAY: `wss://127.0.0.1:${port}/agent` },
      {
        args: ['--relay', `${near}:${at}`],
      },
    )
  await system.start(
    'agent2',
    { ...trust, BUGLE_AGENT_GATEWAY: `wss://127.0.0.1:${port}/agent` },
    {
      args: ['--through', `${near}:${first},${near}:${second}`],
      host,
    },
  )
  await poolOfAll(system)
  type Line = { name: string; engineId: string | null; line: { through?: string; relay?: object } | null }
  const lineOf = async (name: string): Promise<Line | undefined> =>
    (await system!.api<{ agents: Line[] }>('GET', '/connections')).agents.find((agent) => agent.name === name)
  // The one that it found a way by: the engine may have been slower than the first of them.
  const relay = await eventually('the agent calls through a relay', async () => {
    const line = await lineOf('agent2')
    return line?.engineId === null ? undefined : line?.line?.through
  })
  const other = relay === 'agent1' ? 'agent3' : 'agent1'
  const portOf = (name: string): number => (name === 'agent1' ? first : second)
  const says = async (name: string): Promise<boolean> => {
    const said = (await lineOf(name))?.line?.relay
    return JSON.stringify(said) === JSON.stringify({ port: portOf(name), lines: 1 })
  }
  await eventually('the relay tells what it passes on', () => says(relay))

  const { id: areaId } = await system.api<{ id: number }>('POST', '/areas', { title: 'Piers' })
  const { id: jobId } = await system.api<{ id: number }>('POST', '/jobs', {
    title: 'Count tickets',
    areaId,
    definition: {
      action: { kind: 'script', interpreter: 'sh', script: `echo begun ${WORD}; sleep 6; echo over` },
      target: { agent: 'agent2' },
    },
  })
  const { id: run } = await system.api<{ id: number }>('POST', '/runs', { jobId })
  const stateOf = async (): Promise<{ state: string; attempts: number }> =>
    (
      await system!.query<{ state: string; attempts: number }>(
        'SELECT r.state, (SELECT count(*)::int FROM attempts a WHERE a.run_id = r.id) AS attempts FROM runs r WHERE r.id = $1',
        [run],
      )
    )[0] as never
  await eventually('it runs', async () => (await stateOf()).state === 'running')
  await system.kill(relay)
  await eventually('it calls through the other', async () => (await lineOf('agent2'))?.line?.through === other, 20)
  await eventually('the run ends well', async () => (await stateOf()).state === 'succeeded', 30)
  expect(await stateOf()).toEqual({ state: 'succeeded', attempts: 1 })

  expect(await says(other)).toBe(true)
  expect((await lineOf(other))?.line).toMatchObject({ reconnects: 0 })

  // What went through: neither the credential nor what work is about; of the test itself: that something went.
  const passed = all()
  const { credential } = JSON.parse(
    execFileSync('cat', [join(system.dir, 'agent2/identity.json')], { encoding: 'utf8' }),
  ) as { credential: string }
  expect(passed.length).toBeGreaterThan(2000)
  for (const word of [WORD, credential, 'heartbeat', 'Bearer']) expect(passed.includes(word)).toBe(false)
})
