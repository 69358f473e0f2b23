import { randomUUID } from 'node:crypto'
import { ADMIN, OPERATOR, freshDatabase } from '@/store/database.test-help'
import { execute, many, one } from '@/store/db'
import {
  connected,
  ended,
  lease,
  makeAgent,
  makeJob,
  output,
  outputOf,
  report,
  started,
  stateOf,
} from '@/service/fixtures.test-help'
import { leasesToDeliver, stopsToDeliver } from './delivery'
import { handOut } from './hand-out'
import { LeadershipLost, takeLeadership } from './leadership'
import { cancelOfRemoved, giveUpLost, releaseDue } from './open-runs'
import { leaseKey } from './sort-reports'
import { closeMatter, listMatters, takeMatter, watchAgents } from './matters'
import { oneRun, readOutput, searchOutput, whyWaiting, type RunFull } from './run-page'
import { actOnRuns, manyRunsSchema, type ManyAct } from './many-runs'
import { removeJob } from '@/service/work/work'
import { againSchema, clearRun, runAgain, startRun, startSchema, stopRun } from './start'

freshDatabase()

let agentId: number
beforeAll(async () => {
  agentId = await makeAgent('a1')
})
const start = (jobId: number, more: object = {}): Promise<{ id: number }> =>
  startRun(OPERATOR, startSchema.parse({ jobId, ...more }))

describe('a run', () => {
  it('goes through its life, with its output once and in order', async () => {
    const { id } = await start(await makeJob())
    expect(await stateOf(id)).toMatchObject({ state: 'ready' })
    const held = await lease(id, agentId)
    expect(await stateOf(id)).toMatchObject({ state: 'running', attempts: 1 })
    await report(agentId, held, 1, started, output('one', 'two'))
    const { acks } = await report(agentId, held, 3, output('three\uFFFD'), ended(0))
    expect(acks.get(leaseKey({ agentId, ...held }))).toBe(4)
    expect(await stateOf(id)).toMatchObject({ state: 'succeeded', reason: 'Exit code 0.' })
    expect(await outputOf(held.attempt)).toEqual(['one', 'two', 'three\uFFFD'])
    const page = (await oneRun(OPERATOR, id)) as RunFull
    expect(page.tries[0]).toMatchObject({ state: 'succeeded', outputLines: 3, byHand: 'cd / && sh' })
    expect(
      (await readOutput(OPERATOR, id, { attempt: held.attempt, from: 2, count: 2 })).rows.map((r) => [r.n, r.text]),
    ).toEqual([
      [2, 'two'],
      [3, 'three\uFFFD'],
    ])
    expect(await searchOutput(OPERATOR, id, { attempt: held.attempt, text: 'TWO' })).toEqual({
      lines: [2],
      more: false,
    })
  })

  it('stores a report sent twice once, and asks for one that is missing', async () => {
    const { id } = await start(await makeJob())
    const held = await lease(id, agentId)
    await report(agentId, held, 1, started, output('one'))
    const again = await report(agentId, held, 1, started, output('one'), output('two'))
    expect(again.acks.get(leaseKey({ agentId, ...held }))).toBe(3)
    const gap = await report(agentId, held, 5, output('five'))
    expect(gap.resend.get(leaseKey({ agentId, ...held }))).toBe(4)
    expect(await outputOf(held.attempt)).toEqual(['one', 'two'])
  })

  it('refuses a report under an old token or of another agent, records it, and changes nothing', async () => {
    const other = await makeAgent(randomUUID())
    const { id } = await start(await makeJob({ retries: 1, retryDelaySeconds: 0 }))
    const old = await lease(id, agentId)
    await report(agentId, old, 1, started)
    await giveUpLost([old.attempt], 'gone')
    const present = await lease(id, agentId)
    const before = await stateOf(id)
    expect((await report(agentId, old, 2, output('late'), ended(0))).stale.has(leaseKey({ agentId, ...old }))).toBe(
      true,
    )
    const mixed = { ...present, token: old.token }
    const under = await report(agentId, mixed, 1, started, ended(0))
    expect(under.stale.has(leaseKey({ agentId, ...mixed }))).toBe(true)
    const foreign = await report(other, present, 1, started, ended(0))
    expect(foreign.stale.has(leaseKey({ agentId: other, ...present }))).toBe(true)
    expect(await stateOf(id)).toEqual(before)
    expect(await outputOf(old.attempt)).toEqual([])
    const { n } = await one<{ n: number }>(
      null,
      'SELECT sum(times)::int AS n FROM refused_reports WHERE agent_id = ANY($1)',
      [[agentId, other]],
    )
    expect(n).toBe(6)
  })

  it('is tried again after its delay and opens one matter that counts', async () => {
    const jobId = await makeJob({ retries: 1, retryDelaySeconds: 3600 })
    const { id } = await start(jobId)
    const first = await lease(id, agentId)
    await report(agentId, first, 1, started, output('boom'), ended(2))
    expect(await stateOf(id)).toMatchObject({ state: 'waiting', reason: 'Try 1 of 2: Exit code 2; success is 0.' })
    expect(await releaseDue()).toBe(0)
    await execute(null, 'UPDATE runs SET start_after = now() WHERE id = $1', [id])
    expect(await releaseDue()).toBe(1)
    await report(agentId, await lease(id, agentId), 1, started, output('boom again'), ended(2))
    expect(await stateOf(id)).toMatchObject({ state: 'failed', attempts: 2 })
    const matter = (await listMatters(OPERATOR)).find((m) => m.runId === id)
    expect(matter).toMatchObject({ kind: 'run-failed', state: 'open', evidence: 'boom again', times: 1 })
    // A run of it that succeeds puts it right.
    const { id: better } = await runAgain(OPERATOR, id, againSchema.parse({}))
    await report(agentId, await lease(better, agentId), 1, started, ended(0))
    expect((await listMatters(OPERATOR)).some((m) => m.runId === id)).toBe(false)
  })

  it('lost without a try left is lost, and a matter', async () => {
    const { id } = await start(await makeJob())
    const held = await lease(id, agentId)
    await execute(null, `UPDATE attempts SET lease_until = now() - interval '1 s' WHERE id = $1`, [held.attempt])
    expect(await giveUpLost('expired', 'silent')).toEqual([id])
    expect(await stateOf(id)).toMatchObject({ state: 'lost', reason: 'silent' })
    expect((await listMatters(OPERATOR)).find((m) => m.runId === id)?.kind).toBe('run-lost')
    expect(await giveUpLost('expired', 'silent')).toEqual([])
  })

  it('is stopped at once before it starts, and through its agent after', async () => {
    const jobId = await makeJob()
    const waiting = await start(jobId, { at: new Date(Date.now() + 3_600_000).toISOString() })
    expect(await stopRun(OPERATOR, waiting.id)).toEqual({ state: 'cancelled' })
    await expect(stopRun(OPERATOR, waiting.id)).rejects.toMatchObject({ code: 'not-now' })
    const { id } = await start(jobId)
    const held = await lease(id, agentId)
    expect(await stopRun(OPERATOR, id)).toEqual({ state: 'running' })
    expect(await stopsToDeliver([agentId])).toEqual([{ agentId, ...held }])
    await report(agentId, held, 1, started, {
      ...(ended(143) as Extract<ReturnType<typeof ended>, { kind: 'ended' }>),
      end: {
        exitCode: 143,
        signal: null,
        how: 'stopped',
        detail: null,
        sawMust: null,
        sawMustNot: null,
        mustNotLine: null,
      },
    })
    expect(await stateOf(id)).toMatchObject({ state: 'cancelled' })
  })

  it('is made once however often it is asked for with one key', async () => {
    const jobId = await makeJob()
    const requestKey = randomUUID()
    const made = await Promise.all(Array.from({ length: 5 }, () => start(jobId, { requestKey })))
    expect(new Set(made.map((m) => m.id)).size).toBe(1)
  })

  it('keeps the version it was started with, and its secrets out of sight', async () => {
    const jobId = await makeJob({
      inputs: [{ name: 'word', title: '', type: 'secret', options: [], default: null, ask: true }],
    })
    await expect(start(jobId)).rejects.toMatchObject({ code: 'invalid-input', errors: [{ path: 'inputs.word' }] })
    const { id } = await start(jobId, { inputs: { word: 'open sesame' } })
    const row = await one(null, 'SELECT r.*, r.secrets::text AS text FROM runs r WHERE id = $1', [id])
    expect(JSON.stringify(row)).not.toContain('open sesame')
    await lease(id, agentId)
    const delivered = (await leasesToDeliver(await connected(agentId))).find((d) => d.lease.run === id)
    expect(delivered?.lease).toMatchObject({ inputs: { word: 'open sesame' }, secrets: ['word'] })
    const page = await oneRun(ADMIN, id)
    expect(JSON.stringify(page)).not.toContain('open sesame')
    // Run again takes the secret over without anybody seeing it.
    await stopRun(OPERATOR, id)
    const again = await runAgain(OPERATOR, id, againSchema.parse({}))
    await lease(again.id, agentId)
    expect(
      (await leasesToDeliver(await connected(agentId))).find((d) => d.lease.run === again.id)?.lease.inputs,
    ).toEqual({
      word: 'open sesame',
    })
  })

  it('keeps what was secret secret when it runs again, whatever the job says by then', async () => {
    const input = { name: 'word', title: '', type: 'secret' as const, options: [], default: null, ask: true }
    const jobId = await makeJob({ inputs: [input] })
    const { id } = await start(jobId, { inputs: { word: 'open sesame' } })
    await execute(
      null,
      `UPDATE job_versions SET definition = jsonb_set(definition, '{inputs,0,type}', '"text"') WHERE job_id = $1`,
      [jobId],
    )
    const again = await runAgain(OPERATOR, id, againSchema.parse({}))
    const row = await one(null, 'SELECT inputs, secrets IS NOT NULL AS sealed FROM runs WHERE id = $1', [again.id])
    expect(row).toEqual({ inputs: {}, sealed: true })
    await lease(again.id, agentId)
    const given = (await leasesToDeliver(await connected(agentId))).find((d) => d.lease.run === again.id)?.lease
    expect(given).toMatchObject({ inputs: { word: 'open sesame' }, secrets: ['word'] })
  })

  it('asked for with a key finds its own first one: not another job’s, nor another person’s', async () => {
    const [one_, other] = [await makeJob(), await makeJob()]
    const requestKey = randomUUID()
    const first = await start(one_, { requestKey })
    expect(await start(one_, { requestKey })).toEqual(first)
    await expect(start(other, { requestKey })).rejects.toMatchObject({ code: 'conflict' })
    await execute(
      null,
      `INSERT INTO people (id, email, name, role) VALUES (77, 'x@y.example', 'X', 'operator') ON CONFLICT DO NOTHING`,
    )
    const mine = await startRun({ ...OPERATOR, id: 77 }, startSchema.parse({ jobId: other, requestKey }))
    expect(mine.id).not.toBe(first.id)
  })

  it('with more input than a run takes is refused', async () => {
    const inputs = Array.from({ length: 30 }, (_, i) => ({
      name: `n${i}`,
      title: '',
      type: 'text' as const,
      options: [],
      default: '',
      ask: true,
    }))
    const jobId = await makeJob({ inputs })
    const much = Object.fromEntries(inputs.map(({ name }) => [name, 'x'.repeat(10_000)]))
    await expect(start(jobId, { inputs: much })).rejects.toThrow('a run takes at most 256 KiB')
  })

  it('of a job that is removed meanwhile does not stay open, however the two meet', async () => {
    for (let i = 0; i < 20; i++) {
      const jobId = await makeJob()
      await Promise.allSettled([start(jobId), removeJob(ADMIN, jobId), start(jobId)])
      await cancelOfRemoved()
      expect(
        await many(null, `SELECT id FROM runs WHERE job_id = $1 AND state IN ('waiting','ready','running')`, [jobId]),
      ).toEqual([])
    }
  })

  it('is refused to one person who starts very many', async () => {
    await execute(
      null,
      `INSERT INTO people (id, email, name, role) VALUES (78, 'y@y.example', 'Y', 'operator') ON CONFLICT DO NOTHING`,
    )
    await execute(null, `INSERT INTO attempt_counts (kind, key, times) VALUES ('runs', '78', 600)`)
    const jobId = await makeJob()
    await expect(startRun({ ...OPERATOR, id: 78 }, startSchema.parse({ jobId }))).rejects.toMatchObject({
      code: 'too-many',
    })
  })

  it('of a job that is switched off is refused', async () => {
    const jobId = await makeJob()
    await execute(null, 'UPDATE jobs SET active = false WHERE id = $1', [jobId])
    await expect(start(jobId)).rejects.toMatchObject({ code: 'not-now' })
  })

  it('says why it waits', async () => {
    const { id } = await start(await makeJob({ target: { agent: 'nobody' } }))
    expect(await whyWaiting(OPERATOR, id)).toMatchObject({ why: 'agent' })
  })

  it('is cleared from the board once', async () => {
    const { id } = await start(await makeJob())
    await expect(clearRun(OPERATOR, id)).rejects.toMatchObject({ code: 'not-now' })
    await stopRun(OPERATOR, id)
    await clearRun(OPERATOR, id)
    await expect(clearRun(OPERATOR, id)).rejects.toMatchObject({ code: 'not-now' })
  })
})

describe('two leaders', () => {
  it('the older one hands out nothing', async () => {
    const { id } = await start(await makeJob())
    const old = await takeLeadership(randomUUID())
    const fresh = await takeLeadership(randomUUID())
    await expect(handOut(old, [{ runId: id, agentId }])).rejects.toBeInstanceOf(LeadershipLost)
    expect((await handOut(fresh, [{ runId: id, agentId }])).has(id)).toBe(true)
    // Handing out what is handed out already does nothing.
    expect((await handOut(fresh, [{ runId: id, agentId }])).size).toBe(0)
    expect(await many(null, 'SELECT 1 AS one FROM attempts WHERE run_id = $1', [id])).toHaveLength(1)
  })
})

describe('matters', () => {
  it('of a failure close with a success that did the same, or ran it again, and with no other', async () => {
    const job = await makeJob({
      inputs: [{ name: 'harbour', title: '', type: 'text', options: [], default: null, ask: true }],
    })
    const ends = async (id: number, code: number): Promise<number> => {
      await report(agentId, await lease(id, agentId), 1, started, ended(code))
      return id
    }
    const runs = async (at: string, code: number): Promise<number> =>
      ends((await start(job, { inputs: { harbour: at } })).id, code)
    const isOpen = async (): Promise<boolean> =>
      (await listMatters(OPERATOR)).some(({ runId }) => runId !== null && mine.includes(runId))
    const mine = [await runs('kelda', 1)]
    await runs('orrin', 0)
    expect(await isOpen()).toBe(true)
    await runs('kelda', 0)
    expect(await isOpen()).toBe(false)
    mine.push(await runs('brack', 1))
    const again = await runAgain(OPERATOR, mine[1] as number, againSchema.parse({ inputs: { harbour: 'tarn' } }))
    await ends(again.id, 0)
    expect(await isOpen()).toBe(false)
  })

  it('of an agent out of reach open, are taken, and close when it calls', async () => {
    const away = await makeAgent(randomUUID())
    await execute(null, `UPDATE agent_contacts SET last_contact_at = now() - interval '1 hour' WHERE agent_id = $1`, [
      away,
    ])
    await watchAgents()
    await watchAgents()
    const mine = (await listMatters(OPERATOR)).filter((m) => m.agentId === away)
    expect(mine).toHaveLength(1)
    await takeMatter(OPERATOR, mine[0]?.id ?? 0, 'on it')
    expect((await listMatters(OPERATOR)).find((m) => m.agentId === away)).toMatchObject({
      state: 'taken',
      takenBy: 'the operator',
      note: 'on it',
    })
    await execute(null, 'UPDATE agent_contacts SET last_contact_at = now() WHERE agent_id = $1', [away])
    await watchAgents()
    expect((await listMatters(OPERATOR)).some((m) => m.agentId === away)).toBe(false)
    await expect(closeMatter(OPERATOR, mine[0]?.id ?? 0)).rejects.toMatchObject({ code: 'not-now' })
  })
})

describe('one act on many runs', () => {
  const act = (ids: number[], what: ManyAct, more: object = {}): ReturnType<typeof actOnRuns> =>
    actOnRuns(OPERATOR, manyRunsSchema.parse({ ids, act: what, ...more }))

  it('says first what it would do, does it, and names those that it does not fit', async () => {
    const job = await makeJob()
    const [waits, runs, failed] = [await start(job), await start(job), await start(job)]
    await lease(runs.id, agentId)
    const held = await lease(failed.id, agentId)
    await report(agentId, held, 1, started, ended(3))
    const ids = [waits.id, runs.id, failed.id, 9_999_999]
    const would = await act(ids, 'stop', { dry: true })
    expect(would).toMatchObject({ done: [waits.id, runs.id], machines: 1, made: [] })
    expect(would.passedOver).toEqual([
      { id: failed.id, why: 'It has ended already.' },
      { id: 9_999_999, why: 'It is not there any more.' },
    ])
    expect(await stateOf(waits.id)).toMatchObject({ state: 'ready' })
    expect((await act(ids, 'stop')).done).toEqual([waits.id, runs.id])
    expect(await stateOf(waits.id)).toMatchObject({ state: 'cancelled' })

    expect((await act([failed.id, waits.id], 'close')).done).toEqual([failed.id])
    expect((await listMatters(OPERATOR)).some(({ runId }) => runId === failed.id)).toBe(false)
    const key = randomUUID()
    const again = await act([failed.id, runs.id], 'again', { requestKey: key })
    expect(again.done).toEqual([failed.id])
    expect((await act([failed.id], 'again', { requestKey: key })).made).toEqual(again.made)
    expect(await act([failed.id, runs.id], 'clear')).toMatchObject({
      done: [failed.id],
      passedOver: [{ id: runs.id, why: 'It has not ended.' }],
    })
    expect((await act([failed.id], 'clear')).passedOver).toEqual([
      { id: failed.id, why: 'It is off the board already.' },
    ])
  })

  it('what one refuses keeps none of the others', async () => {
    const [off, on] = [await makeJob(), await makeJob()]
    const [first, second] = [await start(off), await start(on)]
    for (const { id } of [first, second]) await report(agentId, await lease(id, agentId), 1, started, ended(0))
    await execute(null, 'UPDATE jobs SET active = false WHERE id = $1', [off])
    const answer = await act([first.id, second.id], 'again')
    expect(answer.done).toEqual([second.id])
    expect(answer.passedOver).toMatchObject([{ id: first.id, why: expect.stringContaining('switched off') as string }])
  })

  it('is bounded, and each run is looked at once', () => {
    expect(manyRunsSchema.parse({ ids: [4, 4, 5], act: 'stop' }).ids).toEqual([4, 5])
    expect(manyRunsSchema.safeParse({ ids: [], act: 'stop' }).success).toBe(false)
    expect(manyRunsSchema.safeParse({ ids: Array.from({ length: 501 }, (_, i) => i + 1), act: 'stop' }).success).toBe(
      false,
    )
    expect(manyRunsSchema.safeParse({ ids: [1], act: 'remove' }).success).toBe(false)
  })
})
