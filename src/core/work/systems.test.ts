import fc from 'fast-check'
import { systemStandings, type SystemSigns } from '../fleet/system-state'
import { jobDefinitionSchema, type JobDefinition } from './job'
import { systemsFound } from './systems-found'
import { onSystem, ringOf, saidBy, systemFault, systemSaysSchema, systemSchema, type SystemSays } from './systems'

const database: SystemSays = systemSaysSchema.parse({
  kind: 'database',
  host: 'kelda-db1',
  port: 5433,
  database: 'bookings',
  tls: true,
  account: 'ledger-reader',
  pool: 'harbours',
})
const sql = (more: object = {}): JobDefinition =>
  jobDefinitionSchema.parse({
    action: { kind: 'sql', host: 'old-db', database: 'old', statement: 'SELECT 1', ...more },
    target: { agent: 'kelda-app1' },
    account: 'someone',
    system: 'bookings',
  })
const job = (action: object, more: object = {}): JobDefinition =>
  jobDefinitionSchema.parse({ action, target: { agent: 'kelda-app1' }, ...more })

describe('a job on a system', () => {
  it('has what the system says, and keeps what is its own', () => {
    const now = onSystem(sql({ keepRows: 5 }), database)
    expect(now.action).toMatchObject({
      host: 'kelda-db1',
      port: 5433,
      database: 'bookings',
      tls: true,
      statement: 'SELECT 1',
      keepRows: 5,
    })
    expect([now.account, now.target]).toEqual(['ledger-reader', { pool: 'harbours' }])
    expect(jobDefinitionSchema.parse(now)).toEqual(now)
  })

  it('says itself what the system leaves open', () => {
    const open = { ...database, database: null, port: null, account: null, pool: null }
    const now = onSystem(sql(), open)
    expect(now).toMatchObject({
      account: 'someone',
      target: { agent: 'kelda-app1' },
      action: { database: 'old', port: 5432 },
    })
  })

  it('goes to the same path at another address', () => {
    const application = systemSaysSchema.parse({ kind: 'application', host: 'booking.example', port: 8443, tls: true })
    const http = (url: string): object => onSystem(job({ kind: 'http', url }), application).action
    expect(http('http://old:81/orders/${day}?all=1#x'.replace('${day}', '7'))).toMatchObject({
      url: 'https://booking.example:8443/orders/7?all=1#x',
    })
    expect(http('http://old')).toMatchObject({ url: 'https://booking.example:8443' })
    const plain = { ...application, tls: false, port: 80, host: '2001:db8::7' }
    expect(onSystem(job({ kind: 'http', url: 'https://old/x' }), plain).action).toMatchObject({
      url: 'http://[2001:db8::7]/x',
    })
    expect(saidBy({ kind: 'reach', by: 'http', host: 'http://old/health' }, application)).toEqual({
      host: 'https://booking.example:8443/health',
    })
    expect(saidBy({ kind: 'reach', by: 'tcp', host: '' }, application)).toEqual({ host: 'booking.example', port: 8443 })
    expect(saidBy({ kind: 'reach', by: 'ping', host: '' }, application)).toEqual({ host: 'booking.example' })
  })

  it('is refused where its kind has no business, or the system has no address', () => {
    expect(systemFault({ kind: 'sql' }, 'Quay', { ...database, kind: 'host' })).toBe(
      'SQL is carried out on a database; Quay is a host.',
    )
    expect(systemFault({ kind: 'sql' }, 'Quay', { ...database, host: null })).toBe(
      'Quay says no address: write it into the system first.',
    )
    expect(systemFault({ kind: 'command' }, 'Quay', { ...database, host: null })).toBeNull()
    expect(systemFault({ kind: 'reach' }, 'Quay', { ...database, kind: 'other' })).toBeNull()
  })

  it('only names whom it serves where it talks to nobody: where it runs is its own business', () => {
    const restart = job({ kind: 'command', command: 'restart' }, { system: 'bookings', account: 'service' })
    expect(onSystem(restart, database)).toBe(restart)
  })

  it('is the same when it is said again', () => {
    const text = fc.constantFrom('a', 'b.example', '10.0.0.7')
    const system = fc.record({
      kind: fc.constantFrom('application', 'database', 'host', 'other'),
      host: fc.option(text),
      port: fc.option(fc.integer({ min: 1, max: 65_535 })),
      tls: fc.boolean(),
      account: fc.option(fc.constantFrom('one', 'two')),
      pool: fc.option(fc.constantFrom('p', 'q')),
    })
    const actions = fc.constantFrom(
      { kind: 'sql', host: 'x', database: 'd', statement: 'SELECT 1' },
      { kind: 'ssh', host: 'x', command: 'ls' },
      { kind: 'http', url: 'http://x/y' },
      { kind: 'mail', host: 'x', from: 'a@b', to: ['c@d'], subject: 's' },
      { kind: 'reach', by: 'tcp', host: 'x', port: 1 },
      { kind: 'command', command: 'true' },
    )
    fc.assert(
      fc.property(system, actions, (raw, action) => {
        const says = systemSaysSchema.parse(raw)
        const once = onSystem(
          job(action, { account: ['reach', 'command'].includes(action.kind) ? null : 'someone' }),
          says,
        )
        expect(onSystem(once, says)).toEqual(once)
        expect(jobDefinitionSchema.safeParse(once).success).toBe(true)
      }),
    )
  })
})

describe('a system', () => {
  it('says of a database what a host has not, and the other way round', () => {
    const faults = (raw: object): string[] =>
      systemSchema.safeParse(raw).error?.issues.map(({ message }) => message) ?? []
    expect(faults({ title: 'X', kind: 'host', database: 'd' })).toEqual(['Only a database has such a name.'])
    expect(faults({ title: 'X', kind: 'database', hostKey: 'SHA256:' + 'a'.repeat(43) })).toEqual([
      'Only a host has a host key.',
    ])
    expect(faults({ title: 'X', kind: 'other', on: ['a', 'a'] })).toEqual(['A system stands there twice.'])
    expect(faults({ title: 'X', kind: 'other', host: '${host}' })).toEqual(['A host name or address.'])
  })

  it('runs on itself by no way round', () => {
    const on = (record: Record<string, string[]>): readonly string[] | null => ringOf(new Map(Object.entries(record)))
    expect(on({ a: ['b', 'c'], b: ['d'], c: ['d'], d: [] })).toBeNull()
    expect(on({ a: ['a'] })).toEqual(['a'])
    expect(on({ x: ['a'], a: ['b'], b: ['c'], c: ['a'] })).toEqual(['a', 'b', 'c'])
    const deep = Object.fromEntries(Array.from({ length: 20_000 }, (_, i) => [`s${i}`, [`s${i + 1}`]]))
    expect(on(deep)).toBeNull()
  })
})

describe('how systems stand', () => {
  const signs = (name: string, more: Partial<SystemSigns> = {}): SystemSigns => ({
    name,
    title: name.toUpperCase(),
    on: [],
    answers: null,
    jobs: [],
    matters: 0,
    ...more,
  })
  const state = (...systems: SystemSigns[]): Record<string, string> =>
    Object.fromEntries([...systemStandings(systems)].map(([name, { state }]) => [name, state]))

  it('is the worst of reach checks, jobs, matters, and what they run on', () => {
    expect(state(signs('a'))).toEqual({ a: 'unknown' })
    expect(state(signs('a', { answers: true }))).toEqual({ a: 'well' })
    expect(state(signs('a', { answers: true, jobs: [{ title: 'J', wentWell: false }] }))).toEqual({ a: 'look' })
    expect(state(signs('a', { answers: true, matters: 1 }))).toEqual({ a: 'look' })
    expect(state(signs('a', { answers: false, jobs: [{ title: 'J', wentWell: true }] }))).toEqual({ a: 'down' })
    expect(
      state(signs('app', { on: ['db'] }), signs('db', { on: ['host'] }), signs('host', { answers: false })),
    ).toEqual({
      app: 'down',
      db: 'down',
      host: 'down',
    })
    expect(state(signs('app', { on: ['db'], answers: true }), signs('db', { matters: 2 }))).toEqual({
      app: 'look',
      db: 'look',
    })
    // A ring was refused when it was saved; one that is there does no harm.
    expect(state(signs('a', { on: ['b'] }), signs('b', { on: ['a'] }))).toEqual({ a: 'unknown', b: 'unknown' })
  })

  it('says why', () => {
    const all = systemStandings([
      signs('app', { on: ['db'], jobs: [{ title: 'Log', wentWell: false }] }),
      signs('db', {
        answers: false,
        matters: 2,
        jobs: Array.from({ length: 4 }, (_, i) => ({ title: `J${i}`, wentWell: false })),
      }),
    ])
    expect(all.get('app')?.why).toEqual(['DB, which it runs on, does not answer.', 'Log did not end well last.'])
    expect(all.get('db')?.why).toEqual([
      'It did not answer when it was looked at last.',
      'Of its jobs 4 did not end well last.',
      '2 matters are open.',
    ])
  })
})

describe('systems of what jobs reach', () => {
  const jobs = (...definitions: JobDefinition[]): { id: number; title: string; definition: JobDefinition }[] =>
    definitions.map((definition, i) => ({ id: i + 1, title: `J${i + 1}`, definition }))
  const free = (definition: JobDefinition): JobDefinition => ({ ...definition, system: null })

  it('are one for each address; nothing that a job does changes', () => {
    const found = systemsFound(
      jobs(
        free(sql()),
        free(sql({ statement: 'SELECT 2' })),
        job({ kind: 'http', url: 'https://app.example/a' }),
        job({ kind: 'http', url: 'https://app.example:443/b' }, { account: 'caller', target: { pool: 'p' } }),
        job(
          { kind: 'ssh', host: '${host}', command: 'ls' },
          { account: 'a', inputs: [{ name: 'host', title: 'H', type: 'text' }] },
        ),
        job({ kind: 'command', command: 'true' }),
        sql({ host: 'elsewhere' }),
      ),
      ['old-on-old-db'],
    )
    expect(
      found.map(({ name, kind, account, pool, jobs }) => [name, kind, account, pool, jobs.map(({ id }) => id)]),
    ).toEqual([
      ['old-on-old-db-2', 'database', 'someone', null, [1, 2]],
      ['app-example-443', 'application', null, null, [3]],
    ])
  })
})
