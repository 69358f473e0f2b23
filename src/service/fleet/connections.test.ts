import { randomUUID } from 'node:crypto'
import { ADMIN, freshDatabase, VIEWER } from '@/store/database.test-help'
import { execute, one } from '@/store/db'
import { connected, makeAgent } from '@/service/fixtures.test-help'
import { extendLeases } from '@/service/runs/heard'
import { connections } from './connections'
import { engineAlive } from './engines'
import { addPool, setMembership } from './fleet'

freshDatabase()

it('says who speaks with which engine, how well, and what to look at', async () => {
  const engine = {
    id: randomUUID(),
    host: 'kelda-night',
    pid: 1,
    version: '1.0.0',
    gatewayUrl: 'ws://x',
    startedAt: new Date(),
  }
  await engineAlive(engine)
  const [well, slow, away, old] = [
    await makeAgent('orrin-ops1'),
    await makeAgent('orrin-ops2'),
    await makeAgent('stavin-ops1'),
    await makeAgent('tarn-ops1'),
  ]
  const { id: pool } = await addPool(ADMIN, { name: 'harbours', title: 'Harbours' })
  await setMembership(ADMIN, pool, { agentId: well, member: true, active: true })
  const lines = await connected(well, slow, old)
  const line = { p50: 2, p95: 4, reconnects: 0, unstored: 0, clockMs: 3 }
  await extendLeases(
    lines.map(({ agentId, connection }) => ({
      agentId,
      connection,
      load: 0,
      ...(agentId === well ? { line } : agentId === slow ? { line: { ...line, p95: 900 } } : {}),
    })),
  )
  await execute(null, 'UPDATE agent_contacts SET engine_id = NULL WHERE agent_id = $1', [away])
  const found = await connections(VIEWER)
  expect(found.databaseMs).toBeGreaterThan(0)
  expect(found.engines).toMatchObject([{ host: 'kelda-night', isAlive: true }])
  const of = (id: number): object | undefined => found.agents.find((agent) => agent.id === id)
  expect(of(well)).toMatchObject({ pools: ['harbours'], line, trouble: null, inHand: 0 })
  expect(of(slow)).toMatchObject({ trouble: expect.stringContaining('Round trips take up to 900 ms') as string })
  expect(of(away)).toMatchObject({ engineId: null, trouble: expect.stringContaining('It does not call') as string })
  expect(of(old)).toMatchObject({ line: null, trouble: null })
  // Of one that called through a relay: whether that calls.
  const through = (name: string): Promise<unknown> =>
    execute(null, 'UPDATE agent_contacts SET line = $2 WHERE agent_id = $1', [
      away,
      JSON.stringify({ ...line, through: name }),
    ])
  await through('orrin-ops1')
  expect((await connections(VIEWER)).agents.find(({ id }) => id === away)?.trouble).toBe(
    'It does not call: look at the machine, and at its way to the relay orrin-ops1.',
  )
  await execute(null, 'UPDATE agent_contacts SET engine_id = NULL WHERE agent_id = $1', [well])
  expect((await connections(VIEWER)).agents.find(({ id }) => id === away)?.trouble).toBe(
    'It does not call, nor does its relay orrin-ops1: look there first.',
  )
  // What is stored and cannot be read is as if it were not told.
  await execute(null, `UPDATE agent_contacts SET line = '{"p50": "quick"}' WHERE agent_id = $1`, [well])
  expect((await connections(VIEWER)).agents.find(({ id }) => id === well)).toMatchObject({ line: null })
  expect(await one(null, 'SELECT line IS NULL AS none FROM agent_contacts WHERE agent_id = $1', [old])).toEqual({
    none: true,
  })
})
