import { execFile as execFileWithCallback, spawn, type ChildProcess } from 'node:child_process'
import { randomUUID } from 'node:crypto'
import { existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { promisify } from 'node:util'
import pg from 'pg'
import { seededRandom } from '@/core/stats/random'
import { hashToken, newToken } from '@/service/base/secrets'

/** Real processes of Bugle, to be killed and started again. */
export interface System {
  readonly dir: string
  readonly databaseUrl: string
  /** The answer to a request, as it comes: for streams. */
  readonly open: (path: string) => Promise<Response>
  readonly query: <Row>(sql: string, bind?: unknown[]) => Promise<Row[]>
  readonly api: <T>(method: string, path: string, body?: unknown) => Promise<T>
  /** A program's call of an address. */
  readonly call: (path: string, body: string, headers: Record<string, string>) => Promise<Response>
  /** With further arguments; on a host of its own, a network namespace (ip-netns(8)). */
  readonly start: (
    name: string,
    env?: Record<string, string>,
    how?: { readonly args?: readonly string[]; readonly host?: string | undefined },
  ) => Promise<void>
  readonly kill: (name: string, signal?: NodeJS.Signals) => Promise<void>
  readonly signal: (name: string, signal: NodeJS.Signals) => void
  readonly killDatabase: () => void
  /** As docs/operations.md says: pg_dump of the whole database. Returns the file. */
  readonly backUp: () => Promise<string>
  /** Into an empty database; engines and web must be down. */
  readonly restore: (file: string) => Promise<void>
  /** The bugle command on this database; gives what it prints. */
  readonly bugle: (...args: string[]) => Promise<unknown>
  /** All that its processes have written to standard output and error. */
  readonly said: () => string
  readonly stop: () => Promise<void>
}

const execFile = promisify(execFileWithCallback)
/** The folder of PostgreSQL's programs, of the newest version that Debian's package has put there. */
const pgBin = (): string => {
  const base = '/usr/lib/postgresql'
  const version = readdirSync(base).sort((a, b) => Number(b) - Number(a))[0] as string
  return join(base, version, 'bin')
}
const dist = (name: string): string => join(process.cwd(), 'dist', `${name}.cjs`)
const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms))

export function freePort(): Promise<number> {
  return new Promise((resolve) => {
    const probe = createServer()
    probe.listen(0, () => {
      const { port } = probe.address() as { port: number }
      probe.close(() => resolve(port))
    })
  })
}

/** Chance that can be repeated: its seed is printed, and taken from `BUGLE_CRASH_SEED` where that is given. `round`: another chance for each. */
export function crashChance(round = 0): () => number {
  const seed = Number(process.env.BUGLE_CRASH_SEED ?? Date.now() % 1_000_000) + round
  process.stderr.write(`      crash seed ${seed} (BUGLE_CRASH_SEED=${seed - round} repeats it)\n`)
  return seededRandom(seed)
}

/** A pool `all` of every agent. */
export async function poolOfAll(system: System): Promise<void> {
  await system.query(`INSERT INTO pools (id, name, title) VALUES (1, 'all', 'All')`)
  await system.query('INSERT INTO pool_members SELECT 1, id FROM agents')
}

/** Kills one of these, or the database, some times, each after a pause; a process is started again, a database by itself. Pauses in ms. */
export async function killAtRandom(
  system: System,
  names: readonly string[],
  { times, random, restMs: [least, more] }: { times: number; random: () => number; restMs: readonly [number, number] },
): Promise<void> {
  const victims = [...names, 'database']
  for (let kills = 0; kills < times; kills++) {
    await pause(least + random() * more)
    const victim = victims[Math.floor(random() * victims.length)] as string
    if (victim === 'database') system.killDatabase()
    else {
      await system.kill(victim)
      await pause(random() * 1000)
      await system.start(victim)
    }
  }
}

/** Tries again for a while what a killed process or database makes fail. */
export async function eventually<T>(
  what: string,
  work: () => Promise<T | undefined | false>,
  seconds = 60,
): Promise<T> {
  let last: unknown
  for (const until = Date.now() + seconds * 1000; Date.now() < until; await pause(100)) {
    try {
      const got = await work()
      if (got !== undefined && got !== false) return got
    } catch (error) {
      last = error
    }
  }
  throw new Error(`Waited ${seconds} s in vain: ${what}. ${String(last ?? '')}`)
}

/**
 * A database, two engines, a web server and agents, each a process of its own. Names: engine1, engine2, web, agent1, agent2, …. Heartbeats are quick
 * so that what takes minutes in real life takes seconds here.
 */
export async function startSystem(options: { leaseSeconds: number; slots?: number; agents?: number }): Promise<System> {
  const dir = mkdtempSync(join(tmpdir(), 'bugle-system-'))
  const cluster = process.env.BUGLE_TEST_DATABASE as string
  const pidFile = process.env.BUGLE_TEST_PG_PID as string
  const database = `s_${randomUUID().replaceAll('-', '')}`
  const url = cluster.replace(/\/postgres$/, `/${database}`)
  const once = async <Row>(connectionString: string, sql: string, bind: unknown[] = []): Promise<Row[]> => {
    const client = new pg.Client({ connectionString })
    client.on('error', () => undefined)
    await client.connect()
    try {
      return (await client.query(sql, bind)).rows as Row[]
    } finally {
      await client.end().catch(() => undefined)
    }
  }
  await eventually('the database', async () => once(cluster, `CREATE DATABASE ${database}`))
  const query = <Row>(sql: string, bind: unknown[] = []): Promise<Row[]> =>
    eventually(sql, () => once<Row>(url, sql, bind))

  const ports = { engine1: await freePort(), engine2: await freePort(), web: await freePort() }
  const shared = {
    ...process.env,
    NODE_ENV: 'production',
    DATABASE_URL: url,
    BUGLE_DEMO: '0',
    BUGLE_HEARTBEAT_SECONDS: '0.5',
    BUGLE_AWAY_SECONDS: '3',
    BUGLE_LEASE_SECONDS: String(options.leaseSeconds),
    BUGLE_GATEWAY_HOST: '127.0.0.1',
    BUGLE_LOG: 'fatal',
  }
  const running = new Map<string, ChildProcess>()
  const killing = new Set<ChildProcess>()
  let everything = ''
  const token = newToken('bgt')

  const run = (file: string, args: string[], env: Record<string, string | undefined>): Promise<number> =>
    new Promise((resolve) =>
      spawn(process.execPath, [file, ...args], { env: env as NodeJS.ProcessEnv, stdio: 'ignore' }).once(
        'exit',
        (code) => resolve(code ?? 1),
      ),
    )
  if ((await run(dist('bugle'), ['migrate'], shared)) !== 0) throw new Error('The schema could not be made.')
  await query(
    `INSERT INTO people (id, email, name, role) VALUES (1, 'callum@marram.example', 'Callum', 'administrator')`,
  )
  await query(
    `INSERT INTO access_tokens (person_id, name, token_hash, expires_at) VALUES (1, 'test', $1, now() + interval '1 day')`,
    [hashToken(token)],
  )
  for (const name of Array.from({ length: options.agents ?? 2 }, (_, i) => `agent${i + 1}`)) {
    const credential = newToken('bga')
    const [agent] = await query<{ id: string }>(
      `INSERT INTO agents (name, machine_id, host, system, arch, version, runtime, slots, credential_hash) VALUES ($1, $1, $1, '', '', '1.0.0', '', $3, $2) RETURNING id`,
      [name, hashToken(credential), options.slots ?? 4],
    )
    await query('INSERT INTO agent_contacts (agent_id) VALUES ($1)', [agent?.id])
    mkdirSync(join(dir, name))
    writeFileSync(join(dir, name, 'identity.json'), JSON.stringify({ agent: name, credential, gateway: '' }))
  }

  const start: System['start'] = async (name, env = {}, { args: more = [], host } = {}) => {
    const isWeb = name === 'web'
    const file = dist(name.replace(/\d/, ''))
    const args = name.startsWith('agent') ? ['run', '--state', join(dir, name), ...more] : []
    // Each agent knows one engine: the other one stands by for the other.
    const gateway = name === 'agent1' ? ports.engine1 : ports.engine2
    const own: Record<string, string> = isWeb
      ? { BUGLE_WEB_PORT: String(ports.web) }
      : name.startsWith('engine')
        ? { BUGLE_GATEWAY_PORT: String(ports[name as 'engine1']) }
        : name.startsWith('agent')
          ? { BUGLE_AGENT_GATEWAY: `ws://127.0.0.1:${gateway}/agent` }
          : {}
    const [program, before] =
      host === undefined ? [process.execPath, []] : ['ip', ['netns', 'exec', host, process.execPath]]
    const child = spawn(program as string, [...(before as string[]), file, ...args], {
      env: { ...shared, ...own, ...env } as NodeJS.ProcessEnv,
      stdio: ['ignore', 'pipe', 'pipe'],
      detached: true,
    })
    running.set(name, child)
    let said = ''
    for (const stream of [child.stdout, child.stderr])
      stream?.on('data', (data) => {
        said = `${said}${String(data)}`.slice(-4000)
        everything = `${everything}${String(data)}`.slice(-5_000_000)
      })
    // Nobody starts it again: a process that ends by itself is a fault, and this is where it is seen.
    child.once('exit', (code, ended) => {
      if (running.get(name) === child && !killing.has(child))
        process.stderr.write(`      ${name} ended by itself with ${code ?? ended}:\n${said}\n`)
    })
  }
  const signal = (name: string, what: NodeJS.Signals): void => {
    const child = running.get(name)
    // Only the process itself: the commands that an agent started are groups of their own.
    if (child?.pid) process.kill(child.pid, what)
  }
  const kill = async (name: string, what: NodeJS.Signals = 'SIGKILL'): Promise<void> => {
    const child = running.get(name)
    if (!child || child.exitCode !== null || child.signalCode !== null) return
    killing.add(child)
    const ended = new Promise((resolve) => child.once('exit', resolve))
    signal(name, what)
    if (name === 'web') process.kill(-(child.pid as number), what)
    await ended
    running.delete(name)
  }
  return {
    dir,
    databaseUrl: url,
    open: (path) =>
      fetch(`http://127.0.0.1:${ports.web}/api/v1${path}`, { headers: { authorization: `Bearer ${token}` } }),
    call: (path, body, headers) => fetch(`http://127.0.0.1:${ports.web}${path}`, { method: 'POST', body, headers }),
    query,
    start,
    kill,
    signal,
    said: () => everything,
    api: (method, path, body) =>
      eventually(`${method} ${path}`, async () => {
        const response = await fetch(`http://127.0.0.1:${ports.web}/api/v1${path}`, {
          method,
          headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
          ...(body === undefined ? {} : { body: JSON.stringify(body) }),
        })
        if (response.status >= 500) throw new Error(`${response.status}`)
        if (!response.ok) throw new Error(`${response.status} ${await response.text()}`)
        return (response.status === 204 ? {} : await response.json()) as never
      }),
    killDatabase: () => {
      if (!existsSync(pidFile)) return
      try {
        process.kill(Number(readFileSync(pidFile, 'utf8').split('\n')[0]), 'SIGKILL')
      } catch (error) {
        // The file outlives a server that was killed: until it is up again there is nothing to kill.
        if ((error as NodeJS.ErrnoException).code !== 'ESRCH') throw error
      }
    },
    backUp: async () => {
      const file = join(dir, 'bugle.dump')
      await execFile(join(pgBin(), 'pg_dump'), ['--format=custom', '--file', file, url])
      return file
    },
    bugle: async (...args) =>
      JSON.parse(
        (await execFile(process.execPath, [dist('bugle'), ...args], { env: shared as NodeJS.ProcessEnv })).stdout,
      ),
    restore: async (file) => {
      await once(cluster, `DROP DATABASE ${database} WITH (FORCE)`)
      await once(cluster, `CREATE DATABASE ${database}`)
      await execFile(join(pgBin(), 'pg_restore'), ['--no-owner', '-d', url, file])
    },
    stop: async () => {
      for (const name of [...running.keys()]) await kill(name)
      await eventually('dropping the database', async () =>
        once(cluster, `DROP DATABASE IF EXISTS ${database} WITH (FORCE)`),
      )
      rmSync(dir, { recursive: true, force: true })
    },
  }
}

export { pause }
