import { isTimed, type Timed } from '@/core/events/kinds'
import type { TriggerDefinition } from '@/core/work/trigger'
import { actor, ADMIN, freshDatabase, OPERATOR, VIEWER } from '@/store/database.test-help'
import { execute, many, one } from '@/store/db'
import { comingBars, dayAhead } from '@/service/forecast/ahead'
import { comingSchema, comingStarts, nextStarts } from '@/service/forecast/coming'
import { makeStanding } from '@/service/forecast/standing'
import { makeFlow } from '@/service/flows/flow.test-help'
import { ended, lease, makeAgent, makeJob, output, report, started } from '@/service/fixtures.test-help'
import { poolLoad } from '@/service/forecast/pool-load'
import { saveTooOften, startsState, switchStarts, tooOften } from '@/service/timing/starts'
import { startRun, startSchema } from '@/service/runs/start'
import { timingState } from '@/service/base/timing-cache'
import { makeCalendar, makeTrigger } from '@/service/timing/timing.test-help'
import { listAudit } from '@/service/base/audit'
import { oneTrigger } from '@/service/timing/triggers'
import { sampleLoad } from '@/service/runs/upkeep'
import { dayLine, find, justEnded, lanes } from './watch'

freshDatabase()

const MINUTE = 60_000
let agentId: number
let jobId: number
beforeAll(async () => {
  agentId = await makeAgent('orrin-ops1', 4)
  await makeAgent('a1', 2)
  await execute(null, `INSERT INTO pools (name, title) VALUES ('quay', 'Quay side')`)
  await execute(null, 'INSERT INTO pool_members SELECT p.id, a.id FROM pools p, agents a')
  jobId = await makeJob({ target: { agent: 'orrin-ops1' } }, 'Till file')
})

/** A run of the job that took so long and ended so many minutes ago. */
async function pastRun(endedMinutesAgo: number, tookMinutes: number, exitCode = 0): Promise<number> {
  const { id } = await startRun(OPERATOR, startSchema.parse({ jobId }))
  const of = await lease(id, agentId)
  await report(agentId, of, 1, started, output('x'), ended(exitCode))
  const end = new Date(Date.now() - endedMinutesAgo * MINUTE)
  const begin = new Date(end.getTime() - tookMinutes * MINUTE)
  await execute(null, 'UPDATE attempts SET handed_at = $2, started_at = $2, ended_at = $3 WHERE id = $1', [
    of.attempt,
    begin,
    end,
  ])
  await execute(null, 'UPDATE runs SET started_at = $2, ended_at = $3, duration_ms = $4 WHERE id = $1', [
    id,
    begin,
    end,
    tookMinutes * MINUTE,
  ])
  return id
}

/** A trigger by the clock, as a viewer reads it. */
async function timedTrigger(id: number): Promise<{ definition: Timed<TriggerDefinition>; version: number }> {
  const { definition, version } = await oneTrigger(VIEWER, id)
  if (!isTimed(definition)) throw new Error('it is none by the clock')
  return { definition, version }
}

describe('lanes', () => {
  it('hold what ran on each machine since a moment, and runs now', async () => {
    const before = await pastRun(300, 5)
    const lately = await pastRun(10, 5, 3)
    const { id: now } = await startRun(OPERATOR, startSchema.parse({ jobId }))
    await lease(now, agentId)
    const all = await lanes(VIEWER, new Date(Date.now() - 60 * MINUTE), 45)
    expect(all.map(({ agent }) => agent)).toEqual(['a1', 'orrin-ops1'])
    const lane = all.find(({ agent }) => agent === 'orrin-ops1')
    expect(lane).toMatchObject({ slots: 4, used: 1, away: false })
    expect(lane?.bars.map(({ runId, state }) => [runId, state])).toEqual([
      [lately, 'failed'],
      [now, 'running'],
    ])
    expect(lane?.bars.map(({ runId }) => runId)).not.toContain(before)
    await execute(null, `UPDATE agent_contacts SET last_contact_at = now() - interval '1 minute' WHERE agent_id = $1`, [
      agentId,
    ])
    expect((await lanes(VIEWER, new Date(), 45)).find(({ agent }) => agent === 'orrin-ops1')?.away).toBe(true)
    await execute(null, 'UPDATE agent_contacts SET last_contact_at = now()')
  })

  it('leave out revoked agents', async () => {
    const gone = await makeAgent('gone')
    await execute(null, 'UPDATE agents SET credential_hash = NULL WHERE id = $1', [gone])
    expect((await lanes(VIEWER, new Date(), 45)).map(({ agent }) => agent)).not.toContain('gone')
  })
})

describe('just ended', () => {
  it('are the newest runs that are still on the board', async () => {
    const older = await pastRun(3, 1)
    const newer = await pastRun(2, 1)
    const ids = ((await justEnded(VIEWER)) as { id: number }[]).map(({ id }) => id)
    expect(ids.slice(0, 2)).toEqual([newer, older])
    await execute(null, 'UPDATE runs SET cleared_at = now() WHERE id = $1', [newer])
    expect(((await justEnded(VIEWER)) as { id: number }[])[0]?.id).toBe(older)
  })
})

describe('the day line', () => {
  it('knows the slots used in each quarter of an hour of the past, and failures', async () => {
    await execute(null, 'DELETE FROM attempts')
    await execute(null, 'DELETE FROM load_samples')
    await execute(null, `UPDATE runs SET ended_at = now() - interval '20 hours' WHERE ended_at IS NOT NULL`)
    const failed = await pastRun(120, 60, 3)
    await sampleLoad(new Date(Date.now() - 9 * 3_600_000), new Date())
    const line = await dayLine(VIEWER)
    expect(line.capacity).toBe(6)
    expect(line.failures.map(({ id }) => id)).toEqual([failed])
    // One slot for an hour is four quarters of one.
    const sum = line.used.reduce((a, b) => a + b, 0)
    expect(sum).toBeGreaterThan(3.9)
    expect(sum).toBeLessThan(4.1)
    expect(Math.max(...line.used)).toBeLessThanOrEqual(1.01)
    const at = (Date.parse(line.now) - 150 * MINUTE - Date.parse(line.from)) / 1000 / line.bucketSeconds
    expect(line.used[Math.floor(at)]).toBeCloseTo(1, 1)
  })

  it('goes further back, with what was then and nothing later', async () => {
    const [recent, early] = [await pastRun(60, 30, 3), await pastRun(20 * 60, 30, 3)]
    const line = await dayLine(VIEWER, { back: 16 })
    expect(line.used).toHaveLength(96)
    expect(line.failures.map(({ id }) => id)).toContain(early)
    const far = await dayLine(VIEWER, { back: 48 })
    expect(far.used).toHaveLength(96)
    expect(far.failures.map(({ id }) => id)).not.toContain(recent)
  })

  it('knows the starts and deadlines ahead, each deadline once', async () => {
    // Of one moment: a minute may end meanwhile.
    const began = Date.now()
    const soon = (minutes: number): string => new Date(began + minutes * MINUTE).toISOString().slice(11, 16)
    const often = await makeTrigger(
      { jobId, time: { every: { step: 'PT5M' } }, zone: 'UTC', finishBy: soon(180) },
      'Often',
    )
    const once = await makeTrigger({ jobId, time: { at: [soon(60)] }, zone: 'UTC' }, 'Once')
    await makeTrigger({ jobId, time: { at: [soon(90)] }, zone: 'UTC', enabled: false }, 'Off')
    await makeStanding()
    const ahead = await dayAhead(VIEWER)
    const total = ahead.starts.reduce((a, b) => a + b, 0)
    // A day of starts every five minutes, one of its own, and what is open.
    expect(total).toBeGreaterThanOrEqual(24 * 12 - 4)
    expect(total).toBeLessThanOrEqual(24 * 12 + 8)
    const inHours = (hours: number): string => new Date(Date.now() + hours * 60 * MINUTE).toISOString()
    const list = await comingStarts(VIEWER, { from: inHours(0.5), to: inHours(1.6) })
    expect(list.more).toBe(false)
    expect(list.rows.filter(({ triggerId }) => triggerId === once)).toMatchObject([{ title: 'Once', dueAt: null }])
    expect(list.rows.filter(({ triggerId }) => triggerId === often).length).toBeGreaterThanOrEqual(13)
    expect(list.rows.map(({ title }) => title)).not.toContain('Off')
    expect(list.rows.map(({ at }) => at)).toEqual(list.rows.map(({ at }) => at).sort())
    const week = await comingStarts(VIEWER, { from: inHours(0), to: inHours(168) })
    expect([week.rows.length, week.more]).toEqual([500, true])
    expect(comingSchema.safeParse({ from: inHours(2), to: inHours(1) }).success).toBe(false)
    expect(comingSchema.safeParse({ from: inHours(1), to: inHours(24 * 32) }).success).toBe(false)
    expect(new Set(ahead.deadlines.map(({ triggerId }) => triggerId))).toEqual(new Set([often]))
    expect(new Set(ahead.deadlines.map(({ dueAt }) => dueAt)).size).toBeLessThanOrEqual(2)
    expect(ahead.load).toHaveLength(96)
    expect(Math.max(...ahead.load)).toBeGreaterThan(0)
    expect((await comingBars(VIEWER, new Date(Date.now() + 20 * MINUTE))).length).toBeGreaterThanOrEqual(3)
    const next = await nextStarts(VIEWER, 10)
    expect(next.map(({ triggerId }) => triggerId)).toEqual([often, once])
    expect(next[0]).toMatchObject({ title: 'Often', says: 'every 5 minutes', goesTo: 'orrin-ops1' })
    expect(next[0]?.dueAt?.slice(11, 16)).toBe(soon(180))
    expect(next[1]?.dueAt).toBeNull()
    expect(await nextStarts(VIEWER, 1)).toHaveLength(1)
    await execute(null, 'UPDATE jobs SET active = false WHERE id = $1', [jobId])
    expect(await nextStarts(VIEWER, 10)).toEqual([])
    await execute(null, 'UPDATE jobs SET active = true WHERE id = $1', [jobId])
  })
})

describe('find', () => {
  const kinds = async (text: string): Promise<string[]> =>
    (await find(VIEWER, text)).map(({ kind, title }) => `${kind} ${title}`)
  it('finds every kind of object by part of its name, and a run by its number', async () => {
    await makeCalendar('quay-days', { weekdays: ['TU'] })
    await makeTrigger({ jobId }, 'Quay clean-up')
    await makeJob({}, 'Quay sweep')
    expect(await kinds('quay')).toEqual([
      'job Quay sweep',
      'trigger Quay clean-up',
      'calendar quay-days',
      'pool Quay side',
    ])
    expect(await kinds(' ORRIN ')).toEqual(['agent orrin-ops1'])
    const [{ id } = { id: 0 }] = await many<{ id: number }>(null, 'SELECT id FROM runs LIMIT 1')
    expect(await kinds(`#${id}`)).toContain(`run #${id} Till file`)
    expect(await kinds('999999999999999')).toEqual([])
  })

  it('finds views that others share, and of nobody else’s own', async () => {
    await execute(
      null,
      `INSERT INTO views (slug, list, title, "values", shared, made_by, saved_by) VALUES
         ('a', 'runs', 'Gangway tonight', '{}', 'everyone', 'Sunniva', 'Sunniva'), ('b', 'runs', 'Gangway of mine', '{}', 'me', 'Moira', 'Moira')`,
    )
    expect(await kinds('gangway')).toEqual(['view Gangway tonight'])
  })

  it('takes wildcards of the database as letters', async () => {
    expect(await kinds('%')).toEqual([])
    expect(await kinds('_')).toEqual([])
    await makeJob({}, '100 % sure')
    expect(await kinds('0 %')).toEqual(['job 100 % sure'])
  })
})

describe('the load of a pool', () => {
  it('is that of its other triggers and of this one, over its first day, by usual lengths', async () => {
    await execute(null, 'UPDATE triggers SET deleted_at = now() WHERE deleted_at IS NULL')
    const pooled = await makeJob({ target: { pool: 'quay' }, slots: 2 }, 'Pooled')
    const other = await makeJob({ target: { pool: 'quay' } }, 'Other of the pool')
    await execute(null, 'UPDATE jobs SET usual_ms = $2 WHERE id = $1', [pooled, 30 * MINUTE])
    await execute(null, 'UPDATE jobs SET usual_ms = $2 WHERE id = $1', [other, 60 * MINUTE])
    await makeTrigger({ jobId: other, time: { at: ['06:00'] }, zone: 'UTC' }, 'Six')
    const id = await makeTrigger({ jobId: pooled, time: { at: ['12:00'] }, zone: 'UTC' }, 'Noon')
    const state = await timingState(null)
    const { definition, version } = await timedTrigger(id)
    const schedule = state.schedule(id, version, definition)
    const load = await poolLoad(
      state,
      { id, definition, schedule, job: { id: pooled, definition: { target: { pool: 'quay' }, slots: 2 } } },
      Date.now() / 1000,
    )
    expect(load).toMatchObject({ pool: 'quay', capacity: 6, bucketMinutes: 15 })
    const busy = (loads: readonly number[] = []): [number, number][] =>
      loads.flatMap((n, i): [number, number][] => (n > 0 ? [[i / 4, n]] : []))
    expect(busy(load?.mine)).toEqual([
      [12, 2],
      [12.25, 2],
    ])
    expect(busy(load?.others)).toEqual([
      [6, 1],
      [6.25, 1],
      [6.5, 1],
      [6.75, 1],
    ])
  })

  it('counts the steps of flows where and when they usually are, but nothing of closed gates and failures', async () => {
    await execute(null, 'UPDATE triggers SET deleted_at = now() WHERE deleted_at IS NULL')
    const first = await makeJob({ target: { pool: 'quay' }, slots: 2 }, 'First')
    const second = await makeJob({ target: { pool: 'quay' } }, 'Second')
    const away = await makeJob({ target: { agent: 'orrin-ops1' } }, 'Away')
    await execute(null, 'UPDATE jobs SET usual_ms = $2 WHERE id = ANY($1)', [[first, second, away], 15 * MINUTE])
    const flow = await makeFlow([
      { id: 'first', job: 'first', onFailure: { goTo: 'helper' } },
      { id: 'away', job: 'away', after: [{ step: 'first' }] },
      { id: 'second', job: 'second', after: [{ step: 'away' }] },
      { id: 'never', job: 'second', gate: { days: { dates: ['2001-01-01'] } }, after: [{ step: 'first' }] },
      { id: 'helper', job: 'second' },
    ])
    await makeTrigger({ jobId: flow.id, time: { at: ['06:00'] }, zone: 'UTC' }, 'Six, a flow')
    const id = await makeTrigger({ jobId: second, time: { at: ['12:00'] }, zone: 'UTC' }, 'Noon, a job')
    const state = await timingState(null)
    const { definition, version } = await timedTrigger(id)
    const job = { id: second, definition: { target: { pool: 'quay' }, slots: 1 } }
    const load = await poolLoad(
      state,
      { id, definition, schedule: state.schedule(id, version, definition), job },
      Date.now() / 1000,
    )
    const others = (load?.others ?? []).flatMap((slots, i) => (slots > 0 ? [[i / 4, slots]] : []))
    expect(others).toEqual([
      [6, 2],
      [6.5, 1],
    ])
  })

  it('is nothing to say of a trigger whose job goes to one agent', async () => {
    const id = await makeTrigger({ jobId }, 'Not pooled')
    const state = await timingState(null)
    const { definition, version } = await timedTrigger(id)
    const job = { id: jobId, definition: { target: { agent: 'orrin-ops1' }, slots: 1 } }
    expect(
      await poolLoad(state, { id, definition, schedule: state.schedule(id, version, definition), job }, 0),
    ).toBeNull()
  })
})

describe('the switch of all starts', () => {
  it('says who threw it and why, and leaves a trace', async () => {
    expect((await startsState(VIEWER)).on).toBe(true)
    await switchStarts(actor('operator', { name: 'Callum Eads' }), { on: false, note: 'Storage is being moved' })
    expect(await startsState(VIEWER)).toMatchObject({ on: false, by: 'Callum Eads', note: 'Storage is being moved' })
    await switchStarts(OPERATOR, { on: true, note: '' })
    expect(await startsState(VIEWER)).toMatchObject({ on: true, note: '' })
    const entries = await listAudit(ADMIN, { text: 'Starts by triggers' })
    expect(entries.map(({ action }) => action)).toEqual(['switched on', 'switched off'])
  })

  it('is no viewer’s, and the threshold is an administrator’s', async () => {
    await expect(switchStarts(VIEWER, { on: false, note: '' })).rejects.toMatchObject({ code: 'not-allowed' })
    await expect(saveTooOften(OPERATOR, { minutes: 1, machines: 1 })).rejects.toMatchObject({ code: 'not-allowed' })
    await saveTooOften(ADMIN, { minutes: 7, machines: 3 })
    expect(await tooOften(VIEWER)).toEqual({ minutes: 7, machines: 3 })
    expect(
      (await one<{ on: boolean }>(null, `SELECT value->'on' = 'true' AS on FROM settings WHERE key = 'starts'`)).on,
    ).toBe(true)
  })
})
