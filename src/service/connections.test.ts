import { noticeSchema, type Notice } from '@/core/work/notice'
import { actor, ADMIN, freshDatabase, OPERATOR } from '@/store/database.test-help'
import { execute, one } from '@/store/db'
import {
  accountChangeSchema,
  accountSchema,
  addAccount,
  changeAccount,
  listAccounts,
  removeAccount,
} from './fleet/accounts'
import { listAudit } from './base/audit'
import { connected, ended, lease, makeAgent, makeJob, report, started, stateOf } from './fixtures.test-help'
import { advance, makeFlow, startFlow, stepsOf } from './flows/flow.test-help'
import { leasesToDeliver } from './runs/delivery'
import { fleetForDispatch, lockUnits, readyRuns, runningWork } from './runs/dispatch-input'
import { failWithoutAccount } from './runs/open-runs'
import { addLock, changeLock, listLocks, removeLock } from './fleet/locks'
import { addNotice, tryNotice } from './notices/notices'
import { oneRun, whyWaiting } from './runs/run-page'
import { startRun, startSchema } from './runs/start'
import { addArea } from './work/areas'
import { removeJob } from './work/work'

freshDatabase()

const SECRET = 'kelp-and-tide-9'
let agentId: number
let elsewhere: number
beforeAll(async () => {
  agentId = await makeAgent('orrin-ops1')
  elsewhere = await makeAgent('flows')
})
const start = async (jobId: number): Promise<number> => (await startRun(OPERATOR, startSchema.parse({ jobId }))).id

describe('run-as accounts', () => {
  const account = accountSchema.parse({ name: 'harbour-files', userName: 'harbour', secret: SECRET, hosts: ['files'] })

  it('are added, changed and rotated by administrators alone, and never tell their secret', async () => {
    await expect(addAccount(actor('designer'), account)).rejects.toMatchObject({ code: 'not-allowed' })
    const { id } = await addAccount(ADMIN, { ...account, agentIds: [agentId] })
    await expect(addAccount(ADMIN, account)).rejects.toMatchObject({
      code: 'invalid-input',
      errors: [{ path: 'name' }],
    })
    const [row] = await listAccounts(OPERATOR)
    expect(row).toMatchObject({
      name: 'harbour-files',
      hasSecret: true,
      everywhere: false,
      agents: [{ name: 'orrin-ops1' }],
      jobs: 0,
    })
    const stored = await one<{ secret: Buffer }>(null, 'SELECT secret FROM accounts WHERE id = $1', [id])
    expect(stored.secret.includes(Buffer.from(SECRET))).toBe(false)
    const change = accountChangeSchema.parse({
      userName: 'harbour',
      notes: 'n',
      hosts: ['files'],
      everywhere: false,
      agentIds: [agentId],
    })
    await changeAccount(ADMIN, id, change)
    const same = await one<{ secret: Buffer }>(null, 'SELECT secret FROM accounts WHERE id = $1', [id])
    expect(same.secret.equals(stored.secret)).toBe(true)
    await changeAccount(ADMIN, id, { ...change, secret: 'another-one-10' })
    const audit = (await listAudit(ADMIN, {} as never)) as unknown as { rows?: { did: string }[] }
    expect(JSON.stringify(audit)).not.toMatch(/kelp-and-tide-9|another-one-10/)
    expect(JSON.stringify(audit)).toContain('rotated')
    await changeAccount(ADMIN, id, { ...change, secret: SECRET })
  })

  it('go to the agents that have them, opened only into the lease that signs in with them', async () => {
    const fleet = await fleetForDispatch()
    expect(fleet.find(({ name }) => name === 'orrin-ops1')?.accounts).toEqual(['harbour-files'])
    expect(fleet.find(({ name }) => name === 'flows')?.accounts).toEqual([])
    const jobId = await makeJob({
      action: {
        kind: 'transfer',
        direction: 'up',
        host: 'files',
        port: 22,
        hostKey: null,
        from: '/a/*',
        into: '/b',
        inputsArePaths: false,
        mostFiles: 10,
        mostMib: 10,
        least: 1,
        withinSeconds: 60,
      },
      target: { labels: { os: 'any' } },
      account: 'harbour-files',
    })
    const run = await start(jobId)
    const [ready] = await readyRuns([run])
    expect(ready).toMatchObject({ account: 'harbour-files', kind: 'transfer' })
    const attempt = await lease(run, agentId)
    const delivered = (await leasesToDeliver(await connected(agentId))).find(
      (each) => each.lease.attempt === attempt.attempt,
    )?.lease
    expect(delivered).toMatchObject({
      action: { kind: 'act', of: { kind: 'transfer', host: 'files' } },
      runAs: null,
      account: 'harbour-files',
      signIn: { account: 'harbour-files', user: 'harbour', secret: SECRET, hosts: ['files'] },
      environment: {},
    })
    const shell = await makeJob({ account: 'harbour-files' })
    const shellAttempt = await lease(await start(shell), agentId)
    const other = (await leasesToDeliver(await connected(agentId))).find(
      (each) => each.lease.attempt === shellAttempt.attempt,
    )?.lease
    expect(other).toMatchObject({ runAs: 'harbour', account: 'harbour-files', signIn: null })
    expect(JSON.stringify(other)).not.toContain(SECRET)
  })

  it('are named by jobs only if they are there, and stay while jobs use them', async () => {
    await expect(makeJob({ account: 'nobody' })).rejects.toMatchObject({ errors: [{ path: 'definition.account' }] })
    const id = (await listAccounts(ADMIN))[0]?.id as number
    await expect(removeAccount(ADMIN, id)).rejects.toMatchObject({ code: 'not-now' })
    const free = await addAccount(ADMIN, { ...account, name: 'unused' })
    await removeAccount(ADMIN, free.id)
    const told = await addAccount(ADMIN, { ...account, name: 'for-notices', hosts: ['mail.marram.example'] })
    await addNotice(ADMIN, byTicket('mail.marram.example', 'for-notices'))
    await expect(removeAccount(ADMIN, told.id)).rejects.toThrow('the notice To the office uses it')
    await execute(null, 'DELETE FROM notices')
    const busy = await addAccount(ADMIN, { ...account, name: 'busy' })
    const jobId = await makeJob({ account: 'busy' })
    const run = await start(jobId)
    await removeJob(ADMIN, jobId)
    await expect(removeAccount(ADMIN, busy.id)).rejects.toThrow(`the run #${run} uses it`)
    await execute(null, `UPDATE runs SET state = 'cancelled' WHERE id = $1`, [run])
    await removeAccount(ADMIN, busy.id)
    await removeAccount(ADMIN, told.id)
    expect((await listAccounts(ADMIN)).map(({ name }) => name)).toEqual(['harbour-files'])
  })
})

/** A ticket to this host, signed in for by this account. */
const byTicket = (host: string, name: string, change: object = {}): Notice =>
  noticeSchema.parse({
    title: 'To the office',
    events: ['failed'],
    account: name,
    action: { kind: 'ticket', url: `https://${host}/`, title: 's' },
    ...change,
  })

describe('where the secret of an account may go', () => {
  const request = (name: string, change: object = {}) =>
    accountSchema.parse({
      name,
      userName: 'svc',
      secret: SECRET,
      everywhere: true,
      hosts: ['files.marram.example'],
      ...change,
    })

  it('is only to the hosts that it names: for jobs, notices and trials', async () => {
    await addAccount(ADMIN, request('hosted'))
    const http = (url: string) => ({
      kind: 'http' as const,
      url,
      method: 'GET' as const,
      headers: {},
      body: '',
      expect: ['2xx'],
      pick: {},
      withinSeconds: 5,
    })
    await expect(makeJob({ account: 'hosted', action: http('https://evil.example/') })).rejects.toMatchObject({
      errors: [
        { path: 'definition.account', message: expect.stringContaining('may not sign in at evil.example') as string },
      ],
    })
    await expect(makeJob({ account: 'hosted', action: http('http://files.marram.example/') })).rejects.toMatchObject({
      errors: [{ path: 'definition.account', message: expect.stringContaining('unencrypted') as string }],
    })
    for (const work of [addNotice, tryNotice])
      await expect(work(actor('designer'), byTicket('127.0.0.1', 'hosted'))).rejects.toMatchObject({
        errors: [{ path: 'account', message: expect.stringContaining('may not sign in at 127.0.0.1') as string }],
      })
    // An input decides about the host: the lease is not made.
    const inputs = [{ name: 'host', title: '', type: 'text' as const, options: [], default: '', ask: true }]
    const jobId = await makeJob({
      account: 'hosted',
      action: http('https://${host}/'),
      inputs,
      target: { agent: 'orrin-ops1' },
    })
    const startAt = async (host: string): Promise<number> =>
      (await startRun(OPERATOR, startSchema.parse({ jobId, inputs: { host } }))).id
    const [evil, good] = [await startAt('evil.example'), await startAt('files.marram.example')]
    for (const run of [evil, good]) await lease(run, agentId)
    const delivered = await leasesToDeliver(await connected(agentId))
    expect(delivered.find(({ lease: { run } }) => run === good)?.lease.signIn?.secret).toBe(SECRET)
    expect(delivered.some(({ lease: { run } }) => run === evil)).toBe(false)
    expect(await stateOf(evil)).toMatchObject({
      state: 'failed',
      reason: expect.stringContaining('may not sign in at evil.example') as string,
    })
  })

  it('is only for work of its areas, also after a job was moved', async () => {
    const { id: areaId } = await addArea(ADMIN, { title: 'Sailing', notes: '' })
    await addAccount(ADMIN, request('of-sailing', { areaIds: [areaId] }))
    await expect(makeJob({ account: 'of-sailing' })).rejects.toThrow('may not be used in this area')
    await expect(addNotice(ADMIN, byTicket('files.marram.example', 'of-sailing'))).rejects.toThrow('work of every area')
    await addNotice(ADMIN, byTicket('files.marram.example', 'of-sailing', { areaId }))
    await execute(null, 'DELETE FROM notices')
  })

  it('is decided under a lock: what is saved while it is removed names nothing that is gone', async () => {
    for (let i = 0; i < 30; i++) {
      const { id } = await addAccount(ADMIN, request(`racing-${i}`))
      const [saved, removed] = await Promise.allSettled([makeJob({ account: `racing-${i}` }), removeAccount(ADMIN, id)])
      expect([saved.status, removed.status].sort()).toEqual(['fulfilled', 'rejected'])
    }
  })

  it('is nowhere once it is gone: a run that kept its name fails instead of running as the agent', async () => {
    const { id } = await addAccount(ADMIN, request('vanishing'))
    const jobId = await makeJob({ account: 'vanishing', target: { agent: 'orrin-ops1' } })
    const [ready, handed] = [await start(jobId), await start(jobId)]
    await lease(handed, agentId)
    await execute(null, 'DELETE FROM accounts WHERE id = $1', [id])
    expect((await leasesToDeliver(await connected(agentId))).some(({ lease: { run } }) => run === handed)).toBe(false)
    await failWithoutAccount()
    for (const run of [ready, handed])
      expect(await stateOf(run)).toMatchObject({
        state: 'failed',
        reason: expect.stringContaining('vanishing is gone') as string,
      })
  })
})

describe('locks', () => {
  it('limit what runs at once across all runs, and say who holds and who waits', async () => {
    const { id } = await addLock(ADMIN, { name: 'fares-db', title: 'Fares database', units: 2 })
    await expect(makeJob({ locks: { 'fares-db': 3 } })).rejects.toMatchObject({
      errors: [{ path: 'definition.locks' }],
    })
    await expect(makeJob({ locks: { nothing: 1 } })).rejects.toMatchObject({ errors: [{ path: 'definition.locks' }] })
    const jobId = await makeJob({ locks: { 'fares-db': 2 }, target: { agent: 'orrin-ops1' } }, 'Reconcile with lock')
    const [first, second] = [await start(jobId), await start(jobId)]
    await lease(first, agentId)
    expect(await lockUnits()).toEqual({ 'fares-db': 2 })
    expect((await readyRuns([second]))[0]?.locks).toEqual({ 'fares-db': 2 })
    expect((await runningWork()).find(({ number }) => number === first)?.locks).toEqual({ 'fares-db': 2 })
    expect(await listLocks(OPERATOR)).toMatchObject([
      { name: 'fares-db', units: 2, used: 2, waiting: 1, jobs: 1, holders: [{ runId: first, units: 2 }] },
    ])
    expect(await whyWaiting(OPERATOR, second)).toEqual({
      why: 'lock',
      lock: 'fares-db',
      holders: [first],
    })
    await expect(changeLock(OPERATOR, id, { title: 'x', units: 1 })).rejects.toMatchObject({ code: 'not-allowed' })
    await changeLock(ADMIN, id, { title: 'Fares', units: 1 })
    expect(await lockUnits()).toEqual({ 'fares-db': 1 })
    await expect(removeLock(ADMIN, id)).rejects.toMatchObject({ code: 'not-now' })
  })
})

describe('values that steps hand on', () => {
  it('reach the steps behind them, and are shown on the run', async () => {
    const inputs = [{ name: 'text', title: '', type: 'text' as const, options: [], default: '', ask: true }]
    const told = await makeJob({ target: { agent: 'flows' }, inputs }, 'Tell it')
    const { slug } = await one<{ slug: string }>(null, 'SELECT slug FROM jobs WHERE id = $1', [told])
    const flow = await makeFlow([
      { id: 'count' },
      { id: 'tell', job: slug, after: [{ step: 'count' }], with: { text: '${count.boats} boats, ${count.gone} gone' } },
    ])
    const run = await startFlow(flow.id)
    const counting = (await stepsOf(run)).get('count')?.runId as number
    const attempt = await lease(counting, elsewhere)
    await report(elsewhere, attempt, 1, started)
    await report(elsewhere, attempt, 2, { ...ended(0), outputs: { boats: '3' } } as never)
    await advance()
    const telling = (await stepsOf(run)).get('tell')?.runId as number
    expect((await oneRun(OPERATOR, telling)).inputs).toEqual({ text: '3 boats,  gone' })
    expect(await oneRun(OPERATOR, counting)).toMatchObject({ tries: [{ outputs: { boats: '3' } }] })
  })

  it.each([
    ['3', 'ready', undefined],
    ['0.0', 'skipped', 'gate'],
    [undefined, 'ready', undefined],
  ] as const)('open or close the gates of steps behind them: %s', async (boats, state, reason) => {
    const flow = await makeFlow([
      { id: 'count' },
      { id: 'mend', after: [{ step: 'count' }], gate: { value: 'count.boats', not: 0 } },
    ])
    const run = await startFlow(flow.id)
    const attempt = await lease((await stepsOf(run)).get('count')?.runId as number, elsewhere)
    await report(elsewhere, attempt, 1, started)
    await report(elsewhere, attempt, 2, { ...ended(0), outputs: boats === undefined ? {} : { boats } } as never)
    await advance()
    expect((await stepsOf(run)).get('mend')).toMatchObject({ state, reason: reason ?? null })
  })

  it('are refused where they cannot have come', async () => {
    const told = await makeJob(
      {
        target: { agent: 'flows' },
        inputs: [{ name: 'text', title: '', type: 'text', options: [], default: '', ask: true }],
      },
      'Tell it too',
    )
    const { slug } = await one<{ slug: string }>(null, 'SELECT slug FROM jobs WHERE id = $1', [told])
    await expect(
      makeFlow([{ id: 'count' }, { id: 'tell', job: slug, with: { text: '${count.boats}' } }]),
    ).rejects.toMatchObject({
      errors: [
        { path: 'definition.steps[1].with.text', message: expect.stringContaining('does not come before') as string },
      ],
    })
  })
})
