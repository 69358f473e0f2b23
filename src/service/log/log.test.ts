import { seenBy } from '@/service/base/actor'
import { ended, lease, makeAgent, makeJob, report, started } from '@/service/fixtures.test-help'
import { addLock, changeLock } from '@/service/fleet/locks'
import { closeMatter, listMatters, takeMatter } from '@/service/runs/matters'
import { startRun, startSchema } from '@/service/runs/start'
import { oneJob, saveJob } from '@/service/work/work'
import { actor, ADMIN, freshDatabase, OPERATOR, VIEWER } from '@/store/database.test-help'
import { execute, one } from '@/store/db'
import { listChanges } from './changes'
import { addShiftNote, handOver, removeShiftNote, shiftLog } from './shift-log'

freshDatabase()

let agentId: number
beforeAll(async () => {
  agentId = await makeAgent('a1', 50)
})
beforeEach(() => execute(null, 'TRUNCATE matters, shift_notes, hand_overs, audit CASCADE'))

async function ran(jobId: number, exitCode: number): Promise<number> {
  const { id } = (await startRun(ADMIN, startSchema.parse({ jobId }))) as { id: number }
  await report(agentId, await lease(id, agentId), 1, { ...started, at: Date.now() }, ended(exitCode))
  return id
}
const HOUR_MS = 3_600_000
const around = (): { from: string; to: string } => ({
  from: new Date(Date.now() - HOUR_MS).toISOString(),
  to: new Date(Date.now() + HOUR_MS).toISOString(),
})
async function rewrite(jobId: number, command: string): Promise<void> {
  const { title, notes, areaId, active, version, definition } = await oneJob(ADMIN, jobId)
  await saveJob(ADMIN, jobId, {
    ...{ title, notes, areaId, active, version },
    definition: { ...definition, action: { kind: 'command', command } },
  })
}

describe('what changed', () => {
  it('is told with who, when and what, and with the failures that followed and touch it', async () => {
    const begun = Date.now()
    const lock = await addLock(ADMIN, { name: 'fares', title: 'Fares', units: 3 })
    const jobId = await makeJob({ locks: { fares: 1 } }, 'Largest tables')
    const first = await ran(jobId, 1)
    await rewrite(jobId, 'exit 7')
    await changeLock(ADMIN, lock.id, { title: 'Fares', units: 1 })
    const bad = await ran(jobId, 7)
    await ran(await makeJob({}, 'Another'), 1)
    const { changes, isCut } = await listChanges(VIEWER, around())
    expect(isCut).toBe(false)
    expect(changes.map(({ says, by, followed }) => [says, by, followed]).slice(1)).toEqual([
      ['The lock Fares was changed: The number of units was 3 and is 1.', ADMIN.name, [bad]],
      ['The job Largest tables was changed: The command was “true” and is “exit 7”.', ADMIN.name, [bad]],
      ['The job Largest tables was added.', ADMIN.name, [first]],
      ['The lock Fares was added.', ADMIN.name, [first]],
    ])
    expect((await listChanges(VIEWER, { ...around(), text: 'largest' })).changes).toHaveLength(2)
    expect((await listChanges(VIEWER, { ...around(), to: new Date(begun - 1000).toISOString() })).changes).toEqual([])
  })

  it('is told to each of what they may see, and no more', async () => {
    const jobId = await makeJob({}, 'Hidden')
    await addLock(ADMIN, { name: 'berth', title: 'Berth', units: 3 })
    await rewrite(jobId, 'exit 8')
    const member = await one<{ id: number }>(
      null,
      `INSERT INTO people (email, name, role) VALUES ('g', 'Guest', 'none') RETURNING id`,
    )
    const guest = actor('none', {
      id: member.id,
      areas: { isWalled: true, granted: 'see', atMost: 'manage' },
    })
    const told = async (): Promise<string[]> =>
      (await seenBy(guest, () => listChanges(guest, around()))).changes.map(({ object }) => object.type)
    expect(await told()).toEqual([])
    const { areaId } = await oneJob(ADMIN, jobId)
    await execute(null, `INSERT INTO grants (area_id, person_id, may) VALUES ($1, $2, 'see')`, [areaId, member.id])
    expect(await told()).toEqual(['job', 'job'])
    // What is written for those who have a role here is not for them either.
    await addShiftNote(OPERATOR, { text: 'The bank called.' })
    await handOver(OPERATOR, { ...around(), toName: 'Callum', note: '' })
    expect(await seenBy(guest, () => shiftLog(guest, around()))).toMatchObject({ notes: [], handedOver: [] })
    expect((await shiftLog(VIEWER, around())).notes).toHaveLength(1)
  })
})

describe('a shift’s log', () => {
  it('has what was wrong, who took it, and what was done about it', async () => {
    const [mended, taken] = [await makeJob({}, 'Mended'), await makeJob({}, 'Taken')]
    const bad = await ran(mended, 1)
    const good = await ran(mended, 0)
    const other = await ran(taken, 1)
    const matter = (await listMatters(ADMIN)).find(({ runId }) => runId === other)
    await takeMatter(OPERATOR, matter?.id ?? 0, 'calling the harbour')
    await closeMatter(OPERATOR, matter?.id ?? 0, 'the file came at six')
    const still = await ran(await makeJob({}, 'Open'), 1)
    const { matters, before } = await shiftLog(VIEWER, around())
    expect(before).toEqual([])
    expect(matters).toMatchObject([
      { title: 'Mended', runId: bad, closedBy: `#${good} succeeded`, done: '' },
      {
        title: 'Taken',
        runId: other,
        takenBy: OPERATOR.name,
        note: 'calling the harbour',
        closedBy: OPERATOR.name,
        done: 'the file came at six',
      },
      { title: 'Open', runId: still, closedAtMs: null },
    ])
    // In the log of a later stretch what was open stands as before it, and what was settled not at all.
    await execute(null, `UPDATE matters SET opened_at = opened_at - interval '3 hours'`)
    const later = await shiftLog(VIEWER, around())
    expect([later.before.map(({ title }) => title), later.matters]).toEqual([['Mended', 'Taken', 'Open'], []])
    await execute(null, `UPDATE matters SET closed_at = closed_at - interval '2 hours' WHERE closed_at IS NOT NULL`)
    expect((await shiftLog(VIEWER, around())).before.map(({ title }) => title)).toEqual(['Open'])
  })

  it('takes notes, each taken back by its writer alone, and is handed over by name', async () => {
    const sunniva = await one<{ id: number }>(
      null,
      `INSERT INTO people (email, name, role) VALUES ('s', 'Sunniva', 'operator') RETURNING id`,
    )
    const writer = actor('operator', { id: sunniva.id, name: 'Sunniva' })
    const { id } = await addShiftNote(writer, { text: 'Turnstone is late.' })
    await handOver(writer, { ...around(), toName: 'Callum', note: 'Quiet.' })
    expect(await shiftLog(VIEWER, around())).toMatchObject({
      notes: [{ id, by: 'Sunniva', byId: sunniva.id, text: 'Turnstone is late.' }],
      handedOver: [{ by: 'Sunniva', to: 'Callum', note: 'Quiet.' }],
    })
    await expect(removeShiftNote(OPERATOR, id)).rejects.toMatchObject({ code: 'not-found' })
    await removeShiftNote(writer, id)
    expect((await shiftLog(VIEWER, around())).notes).toEqual([])
    for (const work of [
      addShiftNote(VIEWER, { text: 'x' }),
      removeShiftNote(VIEWER, id),
      handOver(VIEWER, { ...around(), toName: 'x', note: '' }),
    ])
      await expect(work).rejects.toMatchObject({ code: 'not-allowed' })
  })

  it('is of a stretch that ends after it begins, and of no more than a month', async () => {
    const [now, year] = [new Date().toISOString(), new Date(Date.now() + 365 * 24 * HOUR_MS).toISOString()]
    await expect(shiftLog(VIEWER, { from: now, to: now })).rejects.toMatchObject({ code: 'invalid-input' })
    await expect(shiftLog(VIEWER, { from: now, to: year })).rejects.toThrow('32 days')
    await expect(handOver(OPERATOR, { from: now, to: now, toName: 'x', note: '' })).rejects.toMatchObject({
      code: 'invalid-input',
    })
  })
})
