import { randomUUID } from 'node:crypto'
import { ended, lease, makeAgent, makeJob, report, started, stateOf } from '@/service/fixtures.test-help'
import { LeadershipLost, takeLeadership } from '@/service/runs/leadership'
import { startRun, startSchema } from '@/service/runs/start'
import { ADMIN, freshDatabase } from '@/store/database.test-help'
import { execute, many } from '@/store/db'
import { Placer } from './placer'

freshDatabase()

let epoch: number
let placer: Placer
beforeEach(async () => {
  await execute(null, 'DELETE FROM runs')
  await execute(null, 'UPDATE agents SET active = false')
  epoch = await takeLeadership(randomUUID())
  placer = new Placer(epoch)
})

const ready = async (job: number, priority = 'normal'): Promise<number> =>
  (await startRun(ADMIN, startSchema.parse({ jobId: job, priority }))).id
/** Which runs an agent has. */
const onAgent = async (agent: number): Promise<number[]> =>
  (
    await many<{ id: number }>(
      null,
      `SELECT run_id AS id FROM attempts WHERE agent_id = $1 AND state = 'handed' ORDER BY id`,
      [agent],
    )
  ).map(({ id }) => id)

describe('the placer', () => {
  it('hands out what there is room for, and the rest as soon as there is', async () => {
    const agent = await makeAgent('quay-1', 2)
    const job = await makeJob({ target: { agent: 'quay-1' } })
    const runs = [await ready(job), await ready(job), await ready(job)]
    expect(await placer.placeOnce()).toBe(2)
    expect(await placer.placeOnce()).toBe(0)
    expect(await onAgent(agent)).toEqual(runs.slice(0, 2))
    const [attempt] = await many<{ attempt: number; token: number }>(
      null,
      'SELECT id AS attempt, token FROM attempts WHERE run_id = $1',
      [runs[0]],
    )
    await report(agent, attempt as { attempt: number; token: number }, 1, started, ended(0))
    expect(await placer.placeOnce()).toBe(1)
    expect(await stateOf(runs[2] as number)).toMatchObject({ state: 'running' })
  })

  it('sees what changed between two looks: agents, their slots, runs that were stopped, jobs switched off', async () => {
    const agent = await makeAgent('quay-2', 1)
    const [job, off] = [await makeJob({ target: { agent: 'quay-2' } }), await makeJob({ target: { agent: 'quay-2' } })]
    const [first, stopped, last] = [await ready(job), await ready(job), await ready(job)]
    const never = await ready(off)
    expect(await placer.placeOnce()).toBe(1)
    await execute(null, `UPDATE runs SET state = 'cancelled', ended_at = now(), version = version + 1 WHERE id = $1`, [
      stopped,
    ])
    await execute(null, 'UPDATE jobs SET active = false WHERE id = $1', [off])
    placer.forgetRuns()
    await execute(null, 'UPDATE agents SET slots = 5 WHERE id = $1', [agent])
    expect(await placer.placeOnce()).toBe(1)
    expect(await onAgent(agent)).toEqual([first, last])
    expect(await stateOf(never)).toMatchObject({ state: 'ready' })
    await execute(null, 'UPDATE agents SET active = false WHERE id = $1', [agent])
    await execute(null, 'UPDATE jobs SET active = true WHERE id = $1', [off])
    placer.forgetRuns()
    expect(await placer.placeOnce()).toBe(0)
    await execute(null, 'UPDATE agents SET active = true WHERE id = $1', [agent])
    expect(await placer.placeOnce()).toBe(1)
  })

  it('hands nothing out once another leads', async () => {
    await makeAgent('quay-3', 1)
    const run = await ready(await makeJob({ target: { agent: 'quay-3' } }))
    await takeLeadership(randomUUID())
    await expect(placer.placeOnce()).rejects.toBeInstanceOf(LeadershipLost)
    expect(await stateOf(run)).toMatchObject({ state: 'ready' })
  })

  it('goes on with what is as it was after a restart of the engine: what runs keeps its slots', async () => {
    const agent = await makeAgent('quay-4', 2)
    const job = await makeJob({ target: { agent: 'quay-4' } })
    const [running, next, waits] = [await ready(job), await ready(job), await ready(job)]
    await lease(running, agent)
    expect(await new Placer(epoch).placeOnce()).toBe(1)
    expect(await onAgent(agent)).toEqual([running, next])
    expect(await stateOf(waits)).toMatchObject({ state: 'ready' })
  })
})
