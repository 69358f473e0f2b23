import { ADMIN, freshDatabase, VIEWER } from '@/store/database.test-help'
import { execute, many } from '@/store/db'
import { agentByCredential } from './agent-link'
import {
  addEnrolmentKey,
  answerEnrolment,
  enrol,
  enrolmentKeySchema,
  enrolmentsOfKey,
  pollEnrolment,
  revokeEnrolmentKey,
} from './enrol'
import {
  addPool,
  agentBusy,
  agentEvents,
  changeAgent,
  listAgents,
  listPools,
  oneAgent,
  revokeAgent,
  setMembership,
} from './fleet'
import { sampleLoad } from '@/service/runs/upkeep'
import { lease, makeAgent, makeJob, report, started } from '@/service/fixtures.test-help'
import { startRun, startSchema } from '@/service/runs/start'

freshDatabase()
const facts = (host: string): Parameters<typeof enrol>[0]['facts'] => ({
  host,
  machineId: `machine-${host}`,
  system: 'Debian',
  arch: 'x64',
  version: '1.0.0',
  runtime: 'node 20',
  abilities: ['command'],
})
const ask = (key: string, host: string): ReturnType<typeof enrol> =>
  enrol({ key, facts: facts(host), simulated: false }, 'ws://x/agent')
const key = (request: object = {}): ReturnType<typeof addEnrolmentKey> =>
  addEnrolmentKey(ADMIN, enrolmentKeySchema.parse(request))

describe('enrolment', () => {
  it('trades a key for a credential, with labels, pools and slots preset', async () => {
    const { id: poolId } = await addPool(ADMIN, { name: 'quay', title: 'Quay' })
    const made = await key({ labels: { site: 'kelda' }, poolIds: [poolId], slots: 6 })
    const answer = await ask(made.key, 'kelda-app1')
    if (answer.state !== 'granted') throw new Error(answer.state)
    const agent = await agentByCredential(answer.credential)
    expect(await oneAgent(ADMIN, agent?.id ?? 0)).toMatchObject({
      name: 'kelda-app1',
      slots: 6,
      labels: { site: 'kelda' },
      pools: [{ name: 'quay', active: true }],
      state: 'away',
    })
    await expect(ask(made.key, 'kelda-app2')).rejects.toMatchObject({ code: 'not-allowed' })
    expect(JSON.stringify(await many(null, 'SELECT * FROM agents'))).not.toContain(answer.credential)
  })

  it('refuses keys that are expired, revoked or unknown', async () => {
    const old = await key()
    await execute(null, 'UPDATE enrolment_keys SET expires_at = now() WHERE id = $1', [old.id])
    await expect(ask(old.key, 'h')).rejects.toMatchObject({ code: 'not-allowed' })
    const gone = await key()
    await revokeEnrolmentKey(ADMIN, gone.id)
    await expect(ask(gone.key, 'h')).rejects.toMatchObject({ code: 'not-allowed' })
    await expect(ask('bgk_guess', 'h')).rejects.toMatchObject({ code: 'not-allowed' })
  })

  it('asks a person when the machine is known and has been heard of', async () => {
    const made = await key({ uses: 4 })
    const first = await ask(made.key, 'kelda-db1')
    if (first.state !== 'granted') throw new Error(first.state)
    const known = await agentByCredential(first.credential)
    await execute(null, 'UPDATE agent_contacts SET last_contact_at = now() WHERE agent_id = $1', [known?.id])

    const asked = await ask(made.key, 'kelda-db1')
    if (asked.state !== 'asking') throw new Error(asked.state)
    expect((await pollEnrolment(asked.poll, 'g')).state).toBe('asking')
    const waiting = (await enrolmentsOfKey(ADMIN, made.id)).find((e) => e.state === 'asking')
    expect(waiting).toMatchObject({ existingName: 'kelda-db1', host: 'kelda-db1' })
    await answerEnrolment(ADMIN, waiting?.id ?? 0, 'replace')
    const replaced = await pollEnrolment(asked.poll, 'g')
    if (replaced.state !== 'granted') throw new Error(replaced.state)
    expect(replaced.agent).toBe('kelda-db1')
    // Whoever learns of the poll later gets nothing by it, and the credential stays good.
    await expect(pollEnrolment(asked.poll, 'g')).rejects.toMatchObject({ code: 'not-found' })
    expect(await agentByCredential(first.credential)).toBeUndefined()
    expect((await agentByCredential(replaced.credential))?.id).toBe(known?.id)

    const second = await ask(made.key, 'kelda-db1')
    const third = await ask(made.key, 'kelda-db1')
    if (second.state !== 'asking' || third.state !== 'asking') throw new Error('not asked')
    const [add, refuse] = (await enrolmentsOfKey(ADMIN, made.id)).filter((e) => e.state === 'asking')
    await answerEnrolment(ADMIN, add?.id ?? 0, 'add')
    await answerEnrolment(ADMIN, refuse?.id ?? 0, 'refuse')
    expect(await pollEnrolment(second.poll, 'g')).toMatchObject({ state: 'granted', agent: 'kelda-db1-2' })
    expect((await pollEnrolment(third.poll, 'g')).state).toBe('refused')
    await expect(answerEnrolment(ADMIN, add?.id ?? 0, 'refuse')).rejects.toMatchObject({ code: 'not-now' })
  })
})

describe('the fleet', () => {
  it('is filtered by state, label, version, pool and text', async () => {
    const names = async (filter: object): Promise<string[]> => (await listAgents(VIEWER, filter)).map((a) => a.name)
    expect(await names({ label: 'site=kelda' })).toEqual(['kelda-app1'])
    expect(await names({ label: 'site' })).toEqual(['kelda-app1'])
    expect(await names({ pool: 'quay' })).toEqual(['kelda-app1'])
    expect(await names({ state: 'ready' })).toEqual(['kelda-db1'])
    expect(await names({ text: 'DB1' })).toEqual(['kelda-db1', 'kelda-db1-2'])
    expect(await names({ version: '9.9' })).toEqual([])
  })

  it('is switched, drained and relabelled, and tells so', async () => {
    const [agent] = await listAgents(ADMIN, { text: 'kelda-db1' })
    const id = agent?.id ?? 0
    await changeAgent(ADMIN, id, { active: false })
    expect((await oneAgent(ADMIN, id)).state).toBe('off')
    await changeAgent(ADMIN, id, { active: true, draining: true, labels: { a: 'b' } })
    expect(await oneAgent(ADMIN, id)).toMatchObject({ state: 'draining', labels: { a: 'b' } })
    expect((await agentEvents(VIEWER, id)).map((e) => e.kind)).toContain('draining changed')
    await revokeAgent(ADMIN, id)
    expect((await oneAgent(ADMIN, id)).state).toBe('revoked')
    await expect(revokeAgent(ADMIN, id)).rejects.toMatchObject({ code: 'not-now' })
  })

  it('pools switch their members alone', async () => {
    const [pool] = await listPools(VIEWER)
    const id = await makeAgent('orrin-ops1', 2)
    await setMembership(ADMIN, pool?.id ?? 0, { agentId: id, member: true, active: false })
    expect((await listPools(VIEWER))[0]).toMatchObject({
      slots: 6,
      members: [
        { name: 'kelda-app1', active: true },
        { name: 'orrin-ops1', active: false },
      ],
    })
    await setMembership(ADMIN, pool?.id ?? 0, { agentId: id, member: false, active: true })
    expect((await listPools(VIEWER))[0]?.members).toHaveLength(1)
    await expect(addPool(ADMIN, { name: 'quay', title: 'again' })).rejects.toMatchObject({ errors: [{ path: 'name' }] })
  })

  it('knows how busy an agent was, computed twice or once', async () => {
    const id = await makeAgent('a1', 2)
    const { id: runId } = await startRun(ADMIN, startSchema.parse({ jobId: await makeJob() }))
    const held = await lease(runId, id)
    await report(id, held, 1, started)
    await execute(
      null,
      `UPDATE attempts SET started_at = now() - interval '30 minutes', handed_at = now() - interval '30 minutes' WHERE id = $1`,
      [held.attempt],
    )
    for (let i = 0; i < 2; i++) await sampleLoad(new Date(Date.now() - 3_600_000), new Date())
    const [row] = await many<{ ms: number }>(
      null,
      'SELECT sum(busy_ms)::bigint AS ms FROM load_samples WHERE agent_id = $1',
      [id],
    )
    expect(Math.abs((row?.ms ?? 0) - 1_800_000)).toBeLessThan(5000)
    const busy = await agentBusy(VIEWER, id, 'hour')
    expect(busy).toHaveLength(12)
    expect(busy.reduce((sum, b) => sum + b.share, 0)).toBeGreaterThan(2.3)
  })
})
