import { randomUUID } from 'node:crypto'
import { jobDefinitionSchema, type JobDefinition } from '@/core/work/job'
import { systemSchema, type SystemContent } from '@/core/work/systems'
import { accountSchema, addAccount } from '@/service/fleet/accounts'
import { addPool } from '@/service/fleet/fleet'
import { exportBundle } from '@/service/exchange/bundle-out'
import { importBundle } from '@/service/exchange/bundle-in'
import { ended, lease, makeAgent, makeJob, report, started } from '@/service/fixtures.test-help'
import { startRun, startSchema } from '@/service/runs/start'
import { addSystemCheck } from '@/service/timing/system-checks'
import { systemLanes } from '@/service/watch/watch'
import { actor, ADMIN, freshDatabase } from '@/store/database.test-help'
import { execute, many, one } from '@/store/db'
import { addArea } from './areas'
import { listSystems, systemPage } from './system-pages'
import { makeSystems, proposeSystems } from './systems-of-jobs'
import { addSystem, removeSystem, saveSystem } from './systems'
import { oneJob, removeJob, saveJob } from './work'

freshDatabase()

const system = (title: string, says: Partial<SystemContent> = {}): SystemContent =>
  systemSchema.parse({ title, kind: 'other', ...says })
const DATABASE = { kind: 'database', host: 'kelda-db1', port: 5433, database: 'bookings', tls: true } as const
const sql = (more: Partial<JobDefinition> = {}): Partial<JobDefinition> => ({
  action: { ...SQL, host: 'nowhere', database: 'none' },
  account: 'reader',
  ...more,
})
const SQL = jobDefinitionSchema.parse({
  action: { kind: 'sql', host: 'h', database: 'd', statement: 'SELECT 1' },
  target: { agent: 'a1' },
  account: 'reader',
}).action as Extract<JobDefinition['action'], { kind: 'sql' }>
const account = (name: string, hosts: string[]): Promise<{ id: number }> =>
  addAccount(
    ADMIN,
    accountSchema.parse({ name, userName: 'u', secret: 's', notes: '', everywhere: true, agentIds: [], hosts }),
  )
const changeOf = async (id: number, change: Partial<SystemContent>): Promise<{ version: number; jobs: number }> => {
  const { id: _, slug: _s, savedBy: _b, savedAt: _a, ...page } = await systemPage(ADMIN, id)
  const { state: _st, why: _w, tree: _t, jobs: _j, matters: _m, ...content } = page
  return saveSystem(ADMIN, id, { ...content, ...change })
}

beforeEach(async () => {
  await execute(null, 'TRUNCATE systems, jobs, accounts, pools, agents, triggers, audit CASCADE')
  await addPool(ADMIN, { name: 'data', title: 'Data' })
  await account('reader', ['*'])
})

describe('a system', () => {
  it('says for its jobs where they go; what changes in it changes in all of them, each in a new version', async () => {
    const { id, slug } = await addSystem(ADMIN, system('Booking database', { ...DATABASE, pool: 'data' }))
    const [first, second] = [await makeJob(sql({ system: slug })), await makeJob(sql({ system: slug }))]
    expect((await oneJob(ADMIN, first)).definition).toMatchObject({
      action: { host: 'kelda-db1', port: 5433, database: 'bookings', tls: true },
      target: { pool: 'data' },
      account: 'reader',
    })
    await makeJob(sql())
    expect(await changeOf(id, { host: 'kelda-db2' })).toEqual({ version: 2, jobs: 2 })
    for (const job of [first, second])
      expect(await oneJob(ADMIN, job)).toMatchObject({ version: 2, definition: { action: { host: 'kelda-db2' } } })
    // What a job does not take from it makes no version.
    expect(await changeOf(id, { notes: 'Moved.' })).toEqual({ version: 3, jobs: 0 })
    const told = await many<{ what: string; because: string }>(
      null,
      `SELECT object_type AS what, changes->>'because' AS because FROM audit WHERE action = 'changed' ORDER BY id`,
    )
    expect(told.map(({ what }) => what)).toEqual(['system', 'job', 'job', 'system'])
    expect(told[1]?.because).toBe('the system Booking database changed')
  })

  it('changes nothing where one of its jobs could not be done any more', async () => {
    const { id, slug } = await addSystem(ADMIN, system('Booking database', DATABASE))
    await account('strict', ['kelda-db1'])
    const job = await makeJob(sql({ system: slug, account: 'strict' }), 'Count')
    await expect(changeOf(id, { host: 'elsewhere' })).rejects.toThrow(
      /Count: The account strict may not sign in at elsewhere/,
    )
    await expect(changeOf(id, { kind: 'host', database: null })).rejects.toThrow(
      /Count could not be done on it any more/,
    )
    await expect(changeOf(id, { host: null })).rejects.toThrow(/says no address/)
    expect((await systemPage(ADMIN, id)).version).toBe(1)
    expect((await oneJob(ADMIN, job)).version).toBe(1)
  })

  it('refuses a second save of one version, names that nobody has, and rings', async () => {
    const below = await addSystem(ADMIN, system('Host'))
    const { id, slug } = await addSystem(ADMIN, system('Database', { on: ['host'] }))
    const page = system('Database', { on: ['host'] })
    await saveSystem(ADMIN, id, { ...page, version: 1 })
    await expect(saveSystem(ADMIN, id, { ...page, version: 1 })).rejects.toMatchObject({ code: 'conflict' })
    await expect(addSystem(ADMIN, system('X', { pool: 'none' }))).rejects.toThrow('There is no pool none.')
    await expect(addSystem(ADMIN, system('X', { account: 'none' }))).rejects.toThrow('There is no account none.')
    await expect(addSystem(ADMIN, system('X', { on: ['none'] }))).rejects.toThrow('There is no system none.')
    await expect(changeOf(below.id, { on: [slug] })).rejects.toThrow('in a ring: database, host.')
    await expect(changeOf(id, { on: [slug] })).rejects.toThrow('It cannot run on itself.')
    await expect(makeJob(sql({ system: 'none' }))).rejects.toThrow('There is no system none.')
    await expect(makeJob(sql({ system: 'host' }))).rejects.toThrow(
      'SQL is carried out on a database; Host is something else.',
    )
  })

  it('stays while something is done on it or runs on it', async () => {
    const { id, slug } = await addSystem(ADMIN, system('Database', DATABASE))
    const above = await addSystem(ADMIN, system('Application', { on: [slug] }))
    const job = await makeJob(sql({ system: slug }), 'Count')
    await expect(removeSystem(ADMIN, id)).rejects.toThrow('Count is done on it.')
    await removeJob(ADMIN, job)
    await expect(removeSystem(ADMIN, id)).rejects.toThrow('Application runs on it.')
    await removeSystem(ADMIN, above.id)
    await removeSystem(ADMIN, id)
    expect(await listSystems(ADMIN)).toEqual([])
  })

  it('is changed by administrators alone', async () => {
    const { id } = await addSystem(ADMIN, system('Host'))
    for (const role of ['designer', 'operator', 'viewer'] as const) {
      const who = await actor(role)
      await expect(addSystem(who, system('X'))).rejects.toMatchObject({ code: 'not-allowed' })
      await expect(saveSystem(who, id, { ...system('Host'), version: 1 })).rejects.toMatchObject({
        code: 'not-allowed',
      })
      await expect(removeSystem(who, id)).rejects.toMatchObject({ code: 'not-allowed' })
      await expect(proposeSystems(who)).rejects.toMatchObject({ code: 'not-allowed' })
      expect(await listSystems(who)).toHaveLength(1)
    }
  })
})

describe('how a system stands', () => {
  it('is told by its reach checks first; its page has its jobs, what they said, and what runs on what', async () => {
    const host = await addSystem(ADMIN, system('Host', { kind: 'host', host: 'kelda-db1', port: 22, pool: 'data' }))
    const { id } = await addSystem(ADMIN, system('Database', { ...DATABASE, pool: 'data', on: [host.slug] }))
    const area = await addArea(ADMIN, { title: randomUUID(), notes: '' })
    const { jobId, triggerId } = await addSystemCheck(ADMIN, host.id, {
      areaId: area.id,
      by: 'tcp',
      path: '/',
      everyMinutes: 10,
    })
    expect((await oneJob(ADMIN, jobId)).definition.action).toMatchObject({
      kind: 'reach',
      by: 'tcp',
      host: 'kelda-db1',
      port: 22,
    })
    const [trigger] = await many<{ says: string }>(null, 'SELECT says FROM triggers WHERE id = $1', [triggerId])
    expect(trigger?.says).toMatch(/every 10 minutes/)
    await expect(
      addSystemCheck(ADMIN, host.id, { areaId: area.id, by: 'tcp', path: '/', everyMinutes: null }),
    ).rejects.toThrow('There is a job called Reach Host in this area already.')
    expect((await listSystems(ADMIN)).map(({ state }) => state)).toEqual(['unknown', 'unknown'])

    const agentId = await makeAgent('a1')
    const { id: runId } = (await startRun(ADMIN, startSchema.parse({ jobId }))) as { id: number }
    const held = await lease(runId, agentId)
    await report(agentId, held, 1, started, ended(1))
    const [database, hostRow] = await listSystems(ADMIN)
    expect([hostRow?.state, hostRow?.why]).toEqual([
      'down',
      ['It did not answer when it was looked at last.', 'A matter is open.'],
    ])
    expect([database?.state, database?.why]).toEqual(['down', ['Host, which it runs on, does not answer.']])
    expect(await listSystems(ADMIN, { state: 'well' })).toEqual([])
    expect((await listSystems(ADMIN, { text: 'DATA', kind: 'database' })).map(({ title }) => title)).toEqual([
      'Database',
    ])

    const page = await systemPage(ADMIN, host.id)
    expect(page.tree.map(({ title, depth }) => [title, depth])).toEqual([
      ['Database', 0],
      ['Host', 1],
    ])
    expect(page.jobs).toMatchObject([
      { id: jobId, title: 'Reach Host', kind: 'reach', last: { id: runId, state: 'failed' } },
    ])
    expect(page.jobs[0]?.nextAt).toBeTruthy()
    expect(page.matters).toMatchObject([{ runId, title: 'Reach Host' }])
    expect((await systemPage(ADMIN, id)).jobs).toEqual([])
    const lanes = await systemLanes(ADMIN, new Date(Date.now() - 3_600_000))
    expect(lanes.map(({ agent, away, bars }) => [agent, away, bars.map((bar) => bar.runId)])).toEqual([
      ['Database', false, []],
      ['Host', true, [runId]],
    ])
  })

  it('is not looked at without a pool, an address, or a port where one is needed', async () => {
    const area = await addArea(ADMIN, { title: randomUUID(), notes: '' })
    const check = async (says: Partial<SystemContent>, by: 'tcp' | 'http' = 'tcp'): Promise<unknown> =>
      addSystemCheck(ADMIN, (await addSystem(ADMIN, system('S', says))).id, {
        areaId: area.id,
        by,
        path: '/',
        everyMinutes: null,
      })
    await expect(check({ host: 'h', port: 1 })).rejects.toThrow('names no pool')
    await expect(check({ pool: 'data' })).rejects.toThrow('no address')
    await expect(check({ pool: 'data', host: 'h' })).rejects.toThrow('no port')
    expect(await check({ pool: 'data', host: '::1', port: 8443, tls: true }, 'http')).toMatchObject({ triggerId: null })
  })
})

describe('systems of what jobs reach', () => {
  it('are proposed, made, and their jobs moved to them without a change of what these do', async () => {
    const jobs = [await makeJob(sql()), await makeJob(sql()), await makeJob({})]
    const before = await Promise.all(jobs.map((id) => oneJob(ADMIN, id)))
    const found = await proposeSystems(ADMIN)
    expect(found.map(({ title, jobs: of, account: name }) => [title, of.map(({ id }) => id), name])).toEqual([
      ['none on nowhere', jobs.slice(0, 2), 'reader'],
    ])
    const systems = found.map(({ jobs: of, ...one }) => ({ ...one, jobs: of.map(({ id }) => id) }))
    // One that does something else by now stays as it is, and so does all else.
    const second = before[1] as (typeof before)[number]
    const { title, notes, areaId, active, definition } = second
    await saveJob(ADMIN, second.id, {
      title,
      notes,
      areaId,
      active,
      definition: { ...definition, action: { ...SQL, host: 'moved' } },
      version: 1,
    })
    await expect(makeSystems(ADMIN, { systems })).rejects.toThrow('reaches something else by now')
    expect(await listSystems(ADMIN)).toEqual([])
    await saveJob(ADMIN, second.id, { title, notes, areaId, active, definition, version: 2 })
    expect(await makeSystems(ADMIN, { systems })).toEqual({ systems: 1, jobs: 2 })
    for (const [i, id] of jobs.slice(0, 2).entries())
      expect((await oneJob(ADMIN, id)).definition).toEqual({ ...before[i]?.definition, system: 'none-on-nowhere' })
    expect(await proposeSystems(ADMIN)).toEqual([])
    expect(await one(null, 'SELECT count(*)::int AS n FROM jobs WHERE system_id IS NOT NULL')).toEqual({ n: 2 })
  })
})

describe('in a bundle', () => {
  it('systems come before the jobs that name them, which say nothing twice; brought in again it is the same', async () => {
    await addSystem(ADMIN, system('Host', { kind: 'host', host: 'kelda-db1' }))
    const { slug } = await addSystem(
      ADMIN,
      system('Database', { ...DATABASE, account: 'reader', pool: 'data', on: ['host'] }),
    )
    await makeJob(sql({ system: slug }), 'Count')
    const file = JSON.parse(JSON.stringify(await exportBundle(ADMIN))) as {
      systems: Record<string, unknown>[]
      jobs: { id: string; with: object; pool?: string; account?: string }[]
    }
    expect(file.systems).toMatchObject([{ id: 'database', on: ['host'], host: 'kelda-db1' }, { id: 'host' }])
    expect(Object.keys(file.jobs[0]?.with ?? {})).not.toEqual(expect.arrayContaining(['host']))
    const same = await importBundle(ADMIN, file, false)
    expect(same.lines.filter(({ what }) => what !== 'same')).toEqual([])
    // Another address in the file: the system changes, and its job with it.
    const moved = {
      ...file,
      systems: file.systems.map((one) => ({ ...one, host: 'kelda-db9' })),
      jobs: file.jobs.map(({ pool: _, account: _a, ...job }) => job),
    }
    const lines = (await importBundle(ADMIN, moved, false)).lines.filter(({ what }) => what !== 'same')
    expect(lines.map(({ kind, what }) => [kind, what])).toEqual([
      ['system', 'changed'],
      ['system', 'changed'],
    ])
    const [job] = await many<{ host: string }>(
      null,
      `SELECT v.definition->'action'->>'host' AS host FROM jobs j JOIN job_versions v ON v.job_id = j.id AND v.version = j.version WHERE j.title = 'Count'`,
    )
    expect(job?.host).toBe('kelda-db9')
  })

  it('is refused where systems run on each other in a ring, or a job names one that is not in it', async () => {
    const bundle = (more: object): object => ({ format: 'bugle-bundle/1', ...more })
    await expect(
      importBundle(
        ADMIN,
        bundle({
          systems: [
            { id: 'a', kind: 'other', on: ['b'] },
            { id: 'b', kind: 'other', on: ['a'] },
          ],
        }),
        true,
      ),
    ).rejects.toThrow('These run on each other in a ring: a, b.')
    await expect(
      importBundle(
        ADMIN,
        bundle({ jobs: [{ id: 'x', kind: 'command', command: 'true', agent: 'a', system: 'none' }] }),
        true,
      ),
    ).rejects.toThrow('jobs[0].system: There is no system none in this file.')
  })
})
