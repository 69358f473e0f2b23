import { ADMIN, freshDatabase, OPERATOR } from '@/store/database.test-help'
import { execute, many, one } from '@/store/db'
import { makeAgent } from '@/service/fixtures.test-help'
import { listPools, setMembership } from './fleet'
import { endSteers, steerPool, steerSchema, undoSteer } from './steer'

freshDatabase()

let poolId: number
let agents: number[]
beforeEach(async () => {
  await execute(null, 'DELETE FROM pools')
  await execute(null, 'TRUNCATE agents CASCADE')
  poolId = (await one<{ id: number }>(null, `INSERT INTO pools (name, title) VALUES ('quay', 'Quay') RETURNING id`)).id
  agents = [await makeAgent('a1'), await makeAgent('a2'), await makeAgent('a3')]
  await execute(null, 'INSERT INTO pool_members SELECT $1, unnest($2::bigint[])', [poolId, agents])
  await execute(null, `UPDATE pool_members SET active = false WHERE agent_id = $1`, [agents[2]])
})
const on = async (): Promise<boolean[]> =>
  (
    await many<{ active: boolean }>(null, 'SELECT active FROM pool_members WHERE pool_id = $1 ORDER BY agent_id', [
      poolId,
    ])
  ).map(({ active }) => active)
const steer = (more: object, who = ADMIN): Promise<void> => steerPool(who, poolId, steerSchema.parse(more))

it('leaves one on, also one that was off, and undone gives back who was on', async () => {
  await steer({ agentId: agents[2] })
  expect(await on()).toEqual([false, false, true])
  expect((await listPools(ADMIN))[0]?.steer).toEqual({ onto: 'a3', by: ADMIN.name, until: null })
  await expect(steer({ agentId: agents[0] })).rejects.toMatchObject({ code: 'not-now' })
  await undoSteer(ADMIN, poolId)
  expect(await on()).toEqual([true, true, false])
  await expect(undoSteer(ADMIN, poolId)).rejects.toMatchObject({ code: 'not-now' })
})

it('ends by itself at its time; who is no member any more does not come back', async () => {
  await steer({ agentId: agents[0], until: new Date(Date.now() + 60_000).toISOString() })
  await endSteers()
  expect(await on()).toEqual([true, false, false])
  await setMembership(ADMIN, poolId, { agentId: agents[1] as number, member: false, active: true })
  await execute(null, `UPDATE pool_steers SET until = now() - interval '1 second'`)
  await endSteers()
  expect(await on()).toEqual([true, false])
  expect((await listPools(ADMIN))[0]?.steer).toBeNull()
})

it('is refused for who is no member, for ends that are none, and for whoever may not', async () => {
  const stranger = await makeAgent('a4')
  await expect(steer({ agentId: stranger })).rejects.toMatchObject({ errors: [{ path: 'agentId' }] })
  for (const days of [-1, 32]) {
    const until = new Date(Date.now() + days * 86_400_000).toISOString()
    await expect(steer({ agentId: agents[0], until })).rejects.toMatchObject({ errors: [{ path: 'until' }] })
  }
  expect(steerSchema.safeParse({}).success).toBe(false)
  expect(steerSchema.safeParse({ agentId: 1, robotId: 1 }).success).toBe(false)
  await expect(steer({ agentId: agents[0] }, OPERATOR)).rejects.toMatchObject({ status: 403 })
  expect(await on()).toEqual([true, true, false])
})
