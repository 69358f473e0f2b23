import { jobDefinitionSchema } from '@/core/work/job'
import { accountSchema, addAccount, accountChangeSchema, changeAccount } from '@/service/fleet/accounts'
import { ended, lease, makeAgent, makeJob, report, started } from '@/service/fixtures.test-help'
import { startRun, startSchema } from '@/service/runs/start'
import { addLock, changeLock } from '@/service/fleet/locks'
import { oneJob, saveJob } from '@/service/work/work'
import { actor, ADMIN, freshDatabase } from '@/store/database.test-help'
import { execute, one } from '@/store/db'
import { seenBy } from '@/service/base/actor'
import { whatChanged } from './what-changed'

freshDatabase()

let agentId: number
beforeAll(async () => {
  agentId = await makeAgent('a1', 50)
})

/** A run of the job that ended so. */
async function ran(jobId: number, exitCode: number, inputs: Record<string, string> = {}): Promise<number> {
  const { id } = (await startRun(ADMIN, startSchema.parse({ jobId, inputs }))) as { id: number }
  await report(agentId, await lease(id, agentId), 1, { ...started, at: Date.now() }, ended(exitCode))
  return id
}
const told = async (id: number): Promise<string[]> => (await whatChanged(ADMIN, id)).changes.map(({ says }) => says)

describe('what changed since a job last went well', () => {
  it('is told with what was saved, given, and changed of what it touches; the likeliest first', async () => {
    const account = await addAccount(
      ADMIN,
      accountSchema.parse({
        name: 'care',
        userName: 'u',
        secret: 's',
        notes: '',
        everywhere: true,
        agentIds: [],
        hosts: [],
      }),
    )
    const lock = await addLock(ADMIN, { name: 'fares', title: 'Fares', units: 3 })
    const input = { name: 'day', title: 'Day', type: 'text', default: 'Monday', ask: true }
    const jobId = await makeJob(
      jobDefinitionSchema.parse({
        action: { kind: 'command', command: 'check ${day}' },
        target: { agent: 'a1' },
        ...{ account: 'care', locks: { fares: 1 }, inputs: [input], success: { exitCodes: [0] } },
      }),
    )
    const good = await ran(jobId, 0)
    expect(await whatChanged(ADMIN, good)).toMatchObject({ good: null, changes: [] })
    await changeLock(ADMIN, lock.id, { title: 'Fares', units: 1 })
    await changeAccount(
      ADMIN,
      account.id,
      accountChangeSchema.parse({
        userName: 'u',
        secret: 'other',
        notes: '',
        everywhere: true,
        agentIds: [],
        hosts: [],
      }),
    )
    const { title, notes, areaId, active, version, definition } = await oneJob(ADMIN, jobId)
    await saveJob(ADMIN, jobId, {
      title,
      notes,
      areaId,
      active,
      version,
      definition: { ...definition, action: { kind: 'command', command: 'check-all ${day}' } },
    })
    const bad = await ran(jobId, 1, { day: 'Tuesday' })
    const found = await whatChanged(ADMIN, bad)
    expect(found.good?.id).toBe(good)
    expect(found.firstBad?.id).toBe(bad)
    expect(found.changes.map(({ says }) => says)).toEqual([
      'Version 2: The command was “check ${day}” and is “check-all ${day}”.',
      'The account care got a new secret.',
      'Input day was Monday and is Tuesday.',
      'The lock Fares was changed: The number of units was 3 and is 1.',
    ])
    expect(found.changes[0]).toMatchObject({ by: ADMIN.name, object: { type: 'job', id: jobId } })
    // What is changed after it fails already stands behind what could explain it.
    await changeLock(ADMIN, lock.id, { title: 'Fares', units: 2 })
    const later = await ran(jobId, 1, { day: 'Tuesday' })
    expect((await whatChanged(ADMIN, later)).firstBad?.id).toBe(bad)
    expect((await told(later)).at(-1)).toBe('The lock Fares was changed: The number of units was 1 and is 2.')
    // The secret itself is nowhere.
    expect(JSON.stringify(found)).not.toContain('other')
  })

  it('tells somebody without a role in the organisation nothing of what is the organisation’s', async () => {
    const lock = await addLock(ADMIN, { name: 'berth', title: 'Berth', units: 3 })
    const jobId = await makeJob({ locks: { berth: 1 } })
    await ran(jobId, 0)
    await changeLock(ADMIN, lock.id, { title: 'Berth', units: 1 })
    const bad = await ran(jobId, 1)
    expect(await told(bad)).toHaveLength(1)
    const { areaId } = await oneJob(ADMIN, jobId)
    const member = await one<{ id: number }>(
      null,
      `INSERT INTO people (email, name, role) VALUES ('g', 'Guest', 'none') RETURNING id`,
    )
    const areas = { isWalled: true, granted: 'see', atMost: 'manage' } as const
    const guest = actor('none', { id: member.id, areas })
    await expect(seenBy(guest, () => whatChanged(guest, bad))).rejects.toMatchObject({ code: 'not-found' })
    await execute(null, `INSERT INTO grants (area_id, person_id, may) VALUES ($1, $2, 'see')`, [areaId, member.id])
    expect((await seenBy(guest, () => whatChanged(guest, bad))).changes).toEqual([])
  })

  it('names other jobs that failed with it on one machine, while elsewhere things went well', async () => {
    await execute(null, `UPDATE runs SET ended_at = ended_at - interval '3 hours' WHERE ended_at IS NOT NULL`)
    const [one, two, three] = [await makeJob({}, 'One'), await makeJob({}, 'Two'), await makeJob({}, 'Three')]
    const other = await makeAgent('b1', 50)
    for (let i = 0; i < 6; i++) {
      const jobId = await makeJob({ target: { agent: 'b1' } })
      const { id } = (await startRun(ADMIN, startSchema.parse({ jobId }))) as { id: number }
      await report(other, await lease(id, other), 1, started, ended(0))
    }
    const [a, b] = [await ran(one, 1), await ran(two, 1)]
    const c = await ran(three, 1)
    const { together } = await whatChanged(ADMIN, b)
    expect(together).toMatchObject([{ kind: 'machine', name: 'a1', id: agentId }])
    expect(together[0]?.runs.map(({ id, title }) => [id, title])).toEqual([
      [b, 'Two'],
      [a, 'One'],
      [c, 'Three'],
    ])
  })
})
