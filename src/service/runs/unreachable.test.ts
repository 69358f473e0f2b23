import { freshDatabase, OPERATOR } from '@/store/database.test-help'
import { execute, one } from '@/store/db'
import { makeAgent, makeJob, stateOf } from '@/service/fixtures.test-help'
import { listMatters } from './matters'
import { startRun, startSchema, stopRun } from './start'
import { looksSince, watchUnreachable } from './unreachable'

freshDatabase()

const NOW = Date.now()
const cutOff = (name: string): Promise<number> =>
  execute(null, 'UPDATE agent_contacts SET engine_id = NULL WHERE agent_id = (SELECT id FROM agents WHERE name = $1)', [
    name,
  ])
const reach = (name: string): Promise<number> =>
  execute(
    null,
    'UPDATE agent_contacts SET engine_id = gen_random_uuid(), last_contact_at = now() WHERE agent_id = (SELECT id FROM agents WHERE name = $1)',
    [name],
  )
const targetOf = async (id: number): Promise<object> =>
  (await one<{ target: object }>(null, 'SELECT target FROM runs WHERE id = $1', [id])).target

async function startFor(agent: string, then: 'fail' | 'elsewhere' | 'wait'): Promise<number> {
  const jobId = await makeJob({ target: { agent }, unreachable: { everySeconds: 30, times: 3, then } })
  return (await startRun(OPERATOR, startSchema.parse({ jobId }))).id
}

beforeAll(async () => {
  for (const name of ['files-1', 'files-2', 'lone']) await makeAgent(name)
  await execute(null, `INSERT INTO pools (name, title) VALUES ('files', 'Files')`)
  await execute(null, `INSERT INTO pool_members SELECT p.id, a.id FROM pools p, agents a WHERE a.name LIKE 'files-%'`)
})
beforeEach(async () => {
  for (const name of ['files-1', 'files-2', 'lone']) await reach(name)
})

describe('a run whose target cannot be reached', () => {
  it('fails after as many looks as its job says, and a person is told', async () => {
    await cutOff('lone')
    const id = await startFor('lone', 'fail')
    await watchUnreachable(NOW)
    await watchUnreachable(NOW + 89_000)
    expect((await stateOf(id)).state).toBe('ready')
    await watchUnreachable(NOW + 90_000)
    expect(await stateOf(id)).toMatchObject({
      state: 'failed',
      attempts: 0,
      reason: 'lone was out of reach: looked 3 times, every 30 s.',
    })
    expect((await listMatters(OPERATOR)).some((matter) => matter.runId === id)).toBe(true)
  })

  it('begins to count anew when it could be reached in between', async () => {
    await cutOff('lone')
    const id = await startFor('lone', 'fail')
    await watchUnreachable(NOW)
    await reach('lone')
    await watchUnreachable(NOW + 60_000)
    await cutOff('lone')
    await watchUnreachable(NOW + 100_000)
    await watchUnreachable(NOW + 170_000)
    expect((await stateOf(id)).state).toBe('ready')
    await stopRun(OPERATOR, id)
  })

  it('goes to another agent of its pool', async () => {
    await cutOff('files-1')
    const id = await startFor('files-1', 'elsewhere')
    await watchUnreachable(NOW)
    await watchUnreachable(NOW + 90_000)
    expect(await targetOf(id)).toEqual({ pool: 'files' })
    expect(await stateOf(id)).toMatchObject({
      state: 'ready',
      reason: expect.stringContaining('Any agent of pool files may take it now.') as string,
    })
  })

  it('waits on where there is no other, and where its job says so', async () => {
    await cutOff('lone')
    const elsewhere = await startFor('lone', 'elsewhere')
    const waiting = await startFor('lone', 'wait')
    await watchUnreachable(NOW)
    await watchUnreachable(NOW + 600_000)
    for (const id of [elsewhere, waiting]) {
      expect((await stateOf(id)).state).toBe('ready')
      expect(await targetOf(id)).toEqual({ agent: 'lone' })
    }
  })

  it('is no such run when its agent is switched off or full: that is another reason', async () => {
    await execute(null, `UPDATE agents SET active = false WHERE name = 'lone'`)
    await cutOff('lone')
    const id = await startFor('lone', 'fail')
    await watchUnreachable(NOW)
    await watchUnreachable(NOW + 600_000)
    expect((await stateOf(id)).state).toBe('ready')
  })
})

it('looks are counted from the first that found it out of reach', () => {
  expect([0, 29_999, 30_000, 95_000].map((ms) => looksSince(NOW, NOW + ms, 30))).toEqual([0, 0, 1, 3])
})
