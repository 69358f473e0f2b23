import { randomUUID } from 'node:crypto'
import { ADMIN, freshDatabase, OPERATOR } from '@/store/database.test-help'
import { execute, many, one } from '@/store/db'
import { changeAgent } from '@/service/fleet/fleet'
import { fireDue, nextDueMs } from './firing'
import { ended, lease, makeAgent, makeJob, report, started, stateOf } from '@/service/fixtures.test-help'
import { LeadershipLost, takeLeadership } from '@/service/runs/leadership'
import { releaseDue } from '@/service/runs/open-runs'
import { oneRun } from '@/service/runs/run-page'
import { switchStarts } from './starts'
import { at, fire, makeCalendar, makeTrigger, missedOf, nextOf, occurrencesOf, runsOf } from './timing.test-help'
import { changeTriggers, startByHand } from './triggers'
import { oneJob, saveJob } from '@/service/work/work'

freshDatabase()

let agentId: number
beforeAll(async () => {
  agentId = await makeAgent('a1', 100)
})

describe('an occurrence that is due', () => {
  it('makes one run, which names its trigger, occurrence, day and the versions of the rules', async () => {
    await makeCalendar('working-days', { weekdays: ['MO', 'TU', 'WE', 'TH', 'FR'] })
    const id = await makeTrigger(
      { next: '2027-03-09T17:00:00Z', on: { calendar: 'working-days' }, priority: 'high', finishBy: '18:30' },
      'Close of day',
    )
    expect(await fire('2027-03-09T16:59:59.900Z', id)).toBe(0)
    expect(await fire('2027-03-09T17:00:00Z')).toBe(1)
    expect(await fire('2027-03-09T17:00:05Z')).toBe(0)
    const [run] = await runsOf(id)
    expect(run).toMatchObject({ occurrence: '2027-03-09T17:00:00.000Z', day: '2027-03-09', state: 'ready' })
    expect(await nextOf(id)).toBe('2027-03-10T17:00')
    const row = await one<object>(
      null,
      'SELECT cause, priority, due_at, trigger_version, calendar_versions FROM runs WHERE id = $1',
      [run?.id],
    )
    expect(row).toEqual({
      cause: 'trigger',
      priority: 1,
      due_at: new Date('2027-03-09T18:30:00Z'),
      trigger_version: 1,
      calendar_versions: { 'working-days': 1 },
    })
    expect(await oneRun(OPERATOR, run?.id as number)).toMatchObject({
      trigger: { id, title: 'Close of day', occurrence: new Date('2027-03-09T17:00:00Z'), day: '2027-03-09' },
    })
  })

  it('makes one run, however many engines ask at once', async () => {
    const ids = await Promise.all(Array.from({ length: 20 }, () => makeTrigger({ next: '2027-03-09T17:00:00Z' })))
    await execute(null, 'UPDATE triggers SET next_at = NULL WHERE NOT id = ANY($1)', [ids])
    const epoch = await takeLeadership(randomUUID())
    const done = await Promise.all(Array.from({ length: 6 }, () => fireDue(epoch, at('2027-03-09T17:00:01Z'))))
    expect(done.reduce((sum, each) => sum + each.started, 0)).toBe(20)
    for (const id of ids) expect(await runsOf(id)).toHaveLength(1)
  })

  it('makes none for an engine that does not lead any more', async () => {
    const id = await makeTrigger({ next: '2027-03-09T17:00:00Z' })
    const old = await takeLeadership(randomUUID())
    await takeLeadership(randomUUID())
    await expect(fireDue(old, at('2027-03-09T17:00:01Z'))).rejects.toBeInstanceOf(LeadershipLost)
    expect(await runsOf(id)).toEqual([])
  })

  it('is not made twice when the trigger is asked again for what it had', async () => {
    const id = await makeTrigger({ next: '2027-03-09T17:00:00Z' })
    await fire('2027-03-09T17:00:01Z', id)
    await execute(null, 'UPDATE triggers SET next_at = $2 WHERE id = $1', [id, '2027-03-09T17:00:00Z'])
    expect(await fire('2027-03-09T17:00:02Z', id)).toBe(0)
    expect(await runsOf(id)).toHaveLength(1)
    expect(await nextOf(id)).toBe('2027-03-10T17:00')
  })
})

describe('the clock', () => {
  const QUARTERS = { time: { every: { step: 'PT15M' } }, zone: 'UTC', makeUp: 'each', overlap: 'start' }

  it('set back makes nothing twice, and nothing is missing when it comes by again', async () => {
    const id = await makeTrigger({ ...QUARTERS, next: '2027-03-09T02:00:00Z' })
    await fire('2027-03-09T02:00:01Z', id)
    await fire('2027-03-09T01:10:00Z')
    await fire('2027-03-09T02:00:01Z')
    await fire('2027-03-09T02:15:01Z')
    expect(await occurrencesOf(id)).toEqual(['2027-03-09T02:00', '2027-03-09T02:15'])
  })

  it('set forward, or a server asleep for an hour: what was missed is made up within its allowance', async () => {
    const id = await makeTrigger({ ...QUARTERS, lateStart: 'PT40M', next: '2027-03-09T02:00:00Z' })
    await fire('2027-03-09T03:05:00Z', id)
    expect(await occurrencesOf(id)).toEqual(['2027-03-09T02:30', '2027-03-09T02:45', '2027-03-09T03:00'])
    expect(await missedOf(id)).toEqual([
      {
        why: 'late',
        times: 2,
        detail: 'Later than its allowance of 40 min: no engine was there in time.',
        runId: null,
      },
    ])
    expect(await nextOf(id)).toBe('2027-03-09T03:15')
  })

  it('changed at night: a time that is missing is moved, one that is there twice fires once', async () => {
    const id = await makeTrigger({ time: { at: ['01:30'] }, next: '2027-03-28T01:30:00Z' })
    await fire('2027-03-28T01:30:01Z', id)
    await execute(null, 'UPDATE triggers SET next_at = $2 WHERE id = $1', [id, '2027-10-31T00:30:00Z'])
    await fire('2027-10-31T00:30:01Z')
    await fire('2027-10-31T01:30:01Z')
    expect((await runsOf(id)).map(({ occurrence, day }) => [occurrence.slice(0, 16), day])).toEqual([
      ['2027-03-28T01:30', '2027-03-28'],
      ['2027-10-31T00:30', '2027-10-31'],
    ])
  })

  it('says when something is due next', async () => {
    const id = await makeTrigger({ next: '2027-03-09T17:00:00Z' })
    await fire('2027-03-09T16:00:00Z', id)
    expect(await nextDueMs()).toBe(at('2027-03-09T17:00:00Z'))
  })
})

describe('what was missed', () => {
  it('is made up once, by the newest', async () => {
    const id = await makeTrigger({ time: { every: { step: 'PT15M' } }, zone: 'UTC', next: '2027-03-09T02:00:00Z' })
    await fire('2027-03-09T02:50:00Z', id)
    const runs = await runsOf(id)
    expect(runs.map((run) => run.occurrence.slice(11, 16))).toEqual(['02:45'])
    expect(await missedOf(id)).toEqual([
      { why: 'made up', times: 3, detail: 'Missed, and made up for by one start.', runId: runs[0]?.id },
    ])
  })

  it('in very great number is decided in pieces, each once', async () => {
    const id = await makeTrigger({
      time: { every: { step: 'PT1S' } },
      zone: 'UTC',
      makeUp: 'each',
      overlap: 'start',
      lateStart: 'PT1H',
      next: '2027-03-09T02:00:00Z',
    })
    await fire('2027-03-09T02:50:00Z', id)
    expect(await runsOf(id)).toHaveLength(3001)
    expect(await nextOf(id)).toBe('2027-03-09T02:50')
  })

  it('while starts are off is made up when they are on again, and told if that is too late', async () => {
    const id = await makeTrigger({
      time: { at: ['02:00', '02:30', '03:00'] },
      zone: 'UTC',
      makeUp: 'each',
      overlap: 'start',
      lateStart: 'PT45M',
      next: '2027-03-09T02:00:00Z',
    })
    await switchStarts(OPERATOR, { on: false, note: 'moving the server' })
    expect(await fire('2027-03-09T02:00:01Z', id)).toBe(0)
    expect(await fire('2027-03-09T02:50:00Z')).toBe(0)
    expect(await missedOf(id)).toEqual([
      {
        why: 'late',
        times: 1,
        detail: 'Later than its allowance of 45 min: starts by triggers were off.',
        runId: null,
      },
    ])
    await switchStarts(OPERATOR, { on: true, note: '' })
    expect(await fire('2027-03-09T03:00:01Z')).toBe(2)
    expect(await occurrencesOf(id)).toEqual(['2027-03-09T02:30', '2027-03-09T03:00'])
  })

  it('by a job that is switched off, or by inputs that do not fit any more, is told', async () => {
    const jobId = await makeJob()
    const id = await makeTrigger({
      jobId,
      time: { at: ['02:00', '03:00', '04:00'] },
      zone: 'UTC',
      next: '2027-03-09T02:00:00Z',
    })
    const job = await oneJob(ADMIN, jobId)
    const save = async (change: object): Promise<void> => {
      const { title, notes, areaId, active, definition, version } = await oneJob(ADMIN, jobId)
      await saveJob(ADMIN, jobId, { title, notes, areaId, active, definition, version, ...change })
    }
    await save({ active: false })
    await fire('2027-03-09T02:00:01Z', id)
    const input = { name: 'harbour', title: '', type: 'text' as const, options: [], default: null, ask: true }
    await save({ active: true, definition: { ...job.definition, inputs: [input] } })
    await fire('2027-03-09T03:00:01Z')
    expect(await runsOf(id)).toEqual([])
    expect((await missedOf(id)).map(({ why, detail }) => [why, detail])).toEqual([
      ['job off', `${job.title} is switched off.`],
      ['inputs', 'harbour needs a value.'],
    ])
  })
})

describe('an occurrence while the one before has not ended', () => {
  const HOURS = { time: { at: ['02:00', '03:00', '04:00'] }, zone: 'UTC', next: '2027-03-09T02:00:00Z' }
  const finish = async (runId: number): Promise<void> => {
    const held = await lease(runId, agentId)
    await report(agentId, held, 1, started, ended(0))
  }

  it('waits, and goes when all before it have ended', async () => {
    const id = await makeTrigger({ ...HOURS, overlap: 'wait' })
    await fire('2027-03-09T02:00:01Z', id)
    await fire('2027-03-09T03:00:01Z')
    await fire('2027-03-09T04:00:01Z')
    const [first, second, third] = await runsOf(id)
    expect([first?.state, second?.state, third?.state]).toEqual(['ready', 'waiting', 'waiting'])
    await releaseDue()
    expect((await stateOf(second?.id as number)).state).toBe('waiting')
    await finish(first?.id as number)
    await releaseDue()
    expect([(await stateOf(second?.id as number)).state, (await stateOf(third?.id as number)).state]).toEqual([
      'ready',
      'waiting',
    ])
  })

  it('is skipped', async () => {
    const id = await makeTrigger({ ...HOURS, overlap: 'skip' })
    await fire('2027-03-09T02:00:01Z', id)
    await fire('2027-03-09T03:00:01Z')
    const [first] = await runsOf(id)
    expect(await runsOf(id)).toHaveLength(1)
    expect(await missedOf(id)).toEqual([
      { why: 'overlap', times: 1, detail: `#${first?.id} had not ended.`, runId: null },
    ])
    await finish(first?.id as number)
    await fire('2027-03-09T04:00:01Z')
    expect(await runsOf(id)).toHaveLength(2)
  })

  it('waits, but no more than it may', async () => {
    const id = await makeTrigger({ ...HOURS, overlap: 'wait', waitMost: 1 })
    for (const hour of ['02', '03', '04']) await fire(`2027-03-09T${hour}:00:01Z`, id)
    const [first] = await runsOf(id)
    expect((await runsOf(id)).map((run) => run.state)).toEqual(['ready', 'waiting'])
    expect(await missedOf(id)).toEqual([
      {
        why: 'overlap',
        times: 1,
        detail: `#${first?.id} had not ended, and one was waiting for it already.`,
        runId: null,
      },
    ])
  })

  it('starts anyway', async () => {
    const id = await makeTrigger({ ...HOURS, overlap: 'start' })
    await fire('2027-03-09T02:00:01Z', id)
    await fire('2027-03-09T03:00:01Z')
    expect((await runsOf(id)).map((run) => run.state)).toEqual(['ready', 'ready'])
  })

  it('replaces it: what has not begun is cancelled, what runs is asked to stop, and the new one goes after it', async () => {
    const id = await makeTrigger({ ...HOURS, overlap: 'replace' }, 'Hourly')
    await fire('2027-03-09T02:00:01Z', id)
    await fire('2027-03-09T03:00:01Z')
    const [first, second] = await runsOf(id)
    expect([first?.state, second?.state]).toEqual(['cancelled', 'waiting'])
    await releaseDue()
    await lease(second?.id as number, agentId)
    await fire('2027-03-09T04:00:01Z')
    expect((await runsOf(id)).map((run) => run.state)).toEqual(['cancelled', 'running', 'waiting'])
    const held = await one<{ attempt: number; token: number }>(
      null,
      'SELECT id AS attempt, token FROM attempts WHERE run_id = $1',
      [second?.id],
    )
    await report(agentId, held, 1, started, ended(143, 'stopped'))
    const reasons = await many<{ reason: string }>(
      null,
      'SELECT r.reason FROM runs r WHERE r.trigger_id = $1 AND reason <> $2 UNION ALL SELECT a.reason FROM attempts a WHERE a.run_id = $3',
      [id, '', second?.id],
    )
    const by = 'Stopped by the trigger “Hourly”, whose next run took its place'
    expect(reasons.map(({ reason }) => reason).sort()).toEqual([`${by} before it started.`, `${by}.`, `${by}.`])
  })
})

describe('a trigger that starts on every machine', () => {
  it('makes one run for each machine of its target that is switched on, each once', async () => {
    const machines = await Promise.all(['m1', 'm2', 'm3'].map((name) => makeAgent(name)))
    await execute(null, `UPDATE agents SET labels = '{"site":"kelda"}' WHERE id = ANY($1)`, [machines])
    const jobId = await makeJob({ target: { labels: { site: 'kelda' } } })
    const id = await makeTrigger({
      jobId,
      spread: 'each',
      overlap: 'skip',
      time: { at: ['02:00', '03:00'] },
      zone: 'UTC',
      next: '2027-03-09T02:00:00Z',
    })
    await changeAgent(ADMIN, machines[2] as number, { active: false })
    expect(await fire('2027-03-09T02:00:01Z', id)).toBe(2)
    const targets = await many<{ target: object }>(null, 'SELECT target FROM runs WHERE trigger_id = $1 ORDER BY id', [
      id,
    ])
    expect(targets.map((row) => row.target)).toEqual([{ agent: 'm1' }, { agent: 'm2' }])
    // Overlap is a matter of each machine.
    await changeAgent(ADMIN, machines[2] as number, { active: true })
    expect(await fire('2027-03-09T03:00:01Z')).toBe(1)
    expect((await missedOf(id)).map((row) => row.why)).toEqual(['overlap', 'overlap'])
    const { ids } = await startByHand(OPERATOR, id, { requestKey: 'once-only' })
    expect(ids).toHaveLength(3)
    expect(await startByHand(OPERATOR, id, { requestKey: 'once-only' })).toEqual({ ids })
  })

  it('whose missed starts were to be made up for by one that could not be made says why, not that it was', async () => {
    const machine = await makeAgent('m9')
    await execute(null, `UPDATE agents SET labels = '{"site":"orrin"}' WHERE id = $1`, [machine])
    const jobId = await makeJob({ target: { labels: { site: 'orrin' } } }, 'Quarterly')
    const id = await makeTrigger({
      jobId,
      spread: 'each',
      overlap: 'skip',
      time: { every: { step: 'PT15M' } },
      zone: 'UTC',
      next: '2027-03-09T02:00:00Z',
    })
    await fire('2027-03-09T02:00:01Z', id)
    const [first] = await runsOf(id)
    await fire('2027-03-09T03:05:00Z')
    expect(await runsOf(id)).toHaveLength(1)
    const overlap = `#${first?.id} had not ended.`
    expect(await missedOf(id)).toEqual([
      {
        why: 'overlap',
        times: 3,
        detail: `Missed, and the start that was to make up for it was not made: ${overlap}`,
        runId: null,
      },
      { why: 'overlap', times: 1, detail: overlap, runId: null },
    ])
  })

  it('says so when there is no machine', async () => {
    const jobId = await makeJob({ target: { pool: 'nobody' } })
    const id = await makeTrigger({ jobId, spread: 'each', next: '2027-03-09T17:00:00Z' })
    await fire('2027-03-09T17:00:01Z', id)
    expect((await missedOf(id)).map((row) => row.why)).toEqual(['no machine'])
  })
})

describe('a trigger that is switched off', () => {
  it('keeps, and has no next start; switched on again it goes on from there', async () => {
    const id = await makeTrigger({ next: '2027-03-09T17:00:00Z' })
    await changeTriggers(ADMIN, { ids: [id], change: { enabled: false } })
    expect(await nextOf(id)).toBeNull()
    expect(await fire('2027-03-10T18:00:00Z', id)).toBe(0)
    await changeTriggers(ADMIN, { ids: [id], change: { enabled: true, priority: 'low', overlap: 'skip' } })
    expect(Date.parse(`${await nextOf(id)}Z`)).toBeGreaterThan(Date.now())
    expect(await runsOf(id)).toEqual([])
  })
})
