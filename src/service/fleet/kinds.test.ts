import { ADMIN, freshDatabase, OPERATOR, VIEWER } from '@/store/database.test-help'
import { execute, one } from '@/store/db'
import { makeAgent, makeJob } from '@/service/fixtures.test-help'
import { Placer } from '@/engine/placer'
import { takeLeadership } from '@/service/runs/leadership'
import { whyWaiting } from '@/service/runs/run-page'
import { startRun, startSchema } from '@/service/runs/start'
import { kindSwitchSchema, listKinds, switchKind } from './kinds'

freshDatabase()

const place = async (): Promise<number> =>
  new Placer(await takeLeadership('00000000-0000-4000-8000-000000000001')).placeOnce()

it('a kind that is switched off begins nowhere, and says why; others go on', async () => {
  const agent = await makeAgent('orrin-ops1')
  await execute(null, `UPDATE agents SET abilities = '["command","script"]' WHERE id = $1`, [agent])
  const start = async (kind: 'command' | 'script'): Promise<number> => {
    const action = kind === 'command' ? { kind, command: 'true' } : { kind, interpreter: 'sh' as const, script: 'true' }
    const jobId = await makeJob({ action, target: { agent: 'orrin-ops1' } })
    return (await startRun(ADMIN, startSchema.parse({ jobId }))).id
  }
  await switchKind(ADMIN, { kind: 'script', on: false, why: 'Its interpreter is being changed.' })
  const [script] = [await start('script'), await start('command')]
  expect(await place()).toBe(1)
  expect(await whyWaiting(OPERATOR, script)).toEqual({
    why: 'kind',
    kind: 'script',
    because: 'Its interpreter is being changed.',
  })
  const { kinds, groups } = await listKinds(VIEWER)
  expect(kinds.find(({ kind }) => kind === 'script')).toMatchObject({
    off: { why: 'Its interpreter is being changed.', by: ADMIN.name },
    jobs: 1,
    waiting: 1,
  })
  expect(groups).toEqual([
    { version: '1.0.0', kinds: ['command', 'script'], count: 1, agents: [{ id: agent, name: 'orrin-ops1' }] },
  ])
  await switchKind(ADMIN, { kind: 'script', on: true, why: '' })
  expect(await place()).toBe(1)
  await expect(switchKind(ADMIN, { kind: 'script', on: true, why: '' })).rejects.toThrow('script is not switched off.')
  expect(
    await one(null, `SELECT count(*)::int AS n FROM audit WHERE object_type = 'kind of step' AND object_id = 'script'`),
  ).toEqual({ n: 2 })
})

it('only administrators switch kinds, and say why', async () => {
  await expect(switchKind(OPERATOR, { kind: 'ssh', on: false, why: 'x' })).rejects.toThrow()
  expect(kindSwitchSchema.safeParse({ kind: 'ssh', on: false, why: ' ' }).error?.issues[0]?.message).toBe(
    'Say why: whoever waits for it reads this.',
  )
  expect(kindSwitchSchema.safeParse({ kind: 'telepathy', on: true }).success).toBe(false)
})
