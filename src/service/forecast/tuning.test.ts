import { changesSchema } from '@/core/forecast/change'
import { ADMIN, freshDatabase, OPERATOR, VIEWER } from '@/store/database.test-help'
import { execute, many, one } from '@/store/db'
import { makeAgent, makeJob } from '@/service/fixtures.test-help'
import { addTrigger, newTriggerSchema, oneTrigger, saveTrigger } from '@/service/timing/triggers'
import { accuracy } from './accuracy'
import { backtest, backtestSchema } from './backtest'
import { refreshLengths } from './lengths'
import { nightSchema, nightView, whatIf } from './nights'
import { listProposals, takeOver, undo } from './proposals'
import { costOfSchedules } from './schedules'
import { searchMoves, searchSchema } from './search'
import { addVariant, listVariants, removeVariant, variantSchema } from './variants'

freshDatabase()

const DAY_MS = 86_400_000
/** The day after the next in UTC: wholly to come, and not so near that it would begin from what runs now, whenever the test runs. */
const tomorrow = new Date((Math.floor(Date.now() / DAY_MS) + 2) * DAY_MS)
const FROM = tomorrow.toISOString()
const STRETCH = { from: FROM, hours: 24 }
const today = (clock: string): Date => new Date(`${new Date().toISOString().slice(0, 10)}T${clock}:00Z`)

let ids: Record<string, number>
beforeAll(async () => {
  await makeAgent('quay-1', 1)
  await execute(null, `INSERT INTO pools (name, title) VALUES ('quay', 'Quay')`)
  await execute(null, 'INSERT INTO pool_members SELECT (SELECT id FROM pools), id FROM agents')
  ids = {}
  for (const [title, at, more] of [
    ['First', '02:00', { window: { earliest: '01:00', latest: '05:00' } }],
    ['Second', '02:00', { window: { earliest: '01:00', latest: '05:00' }, finishBy: '02:45' }],
    ['Third', '02:00', {}],
  ] as const) {
    const jobId = await makeJob({ target: { pool: 'quay' } }, `${title} job`)
    await execute(
      null,
      `INSERT INTO runs (job_id, job_version, area_id, target, kind, cause, state, priority, attempts, created_at, ready_at, started_at, ended_at, duration_ms, cleared_at)
       SELECT j.id, 1, j.area_id, '{"pool":"quay"}', 'command', 'person', 'succeeded', 2, 1, at, at, at, at + interval '20 minutes', 1200000, at
         FROM jobs j, generate_series(1, 12) AS n, LATERAL (SELECT now() - make_interval(days => n) AS at) x WHERE j.id = $1`,
      [jobId],
    )
    const definition = { time: { at: [at] }, zone: 'UTC', ...more }
    ids[title] = (await addTrigger(ADMIN, newTriggerSchema.parse({ title, jobId, definition }))).id
  }
  await refreshLengths()
})
const idOf = (title: string): number => ids[title] as number
const timeOf = async (title: string): Promise<unknown> => (await oneTrigger(ADMIN, idOf(title))).definition.time

describe('a night', () => {
  it('is foreseen with what runs, waits and is due, by measured lengths', async () => {
    const { forecast, demand, names, guesses } = await nightView(VIEWER, nightSchema.parse({ ...STRETCH, samples: 20 }))
    expect(forecast.runs.map(({ trigger, start }) => [trigger, start?.slice(11, 16)]).sort()).toHaveLength(3)
    expect(new Set(forecast.runs.map(({ start }) => start?.slice(11, 16)))).toEqual(
      new Set(['02:00', '02:20', '02:40']),
    )
    expect(demand.pools.find(({ id }) => id === 'quay')).toMatchObject({ slots: 1, peak: 3 })
    expect(names.triggers.second).toMatchObject({ title: 'Second', at: '02:00', finishBy: '02:45' })
    expect(guesses).toEqual([])
    expect(forecast.deadlines).toHaveLength(1)
    await expect(nightView(VIEWER, { from: '2020-01-01T00:00:00Z', hours: 5, samples: 0 })).rejects.toMatchObject({
      errors: [{ path: 'from' }],
    })
  })

  it('is compared with one with changes; a change that cannot be is refused at its place', async () => {
    const request = (changes: unknown): Parameters<typeof whatIf>[1] => ({
      ...STRETCH,
      samples: 0,
      changes: changesSchema.parse(changes),
    })
    const { before, after, difference } = await whatIf(
      VIEWER,
      request([{ length: { job: 'first-job', times: 2 } }, { slots: { pool: 'quay', to: 3 } }]),
    )
    expect(difference.runs.length).toBeGreaterThan(0)
    expect(before.forecast.waits).not.toEqual(after.forecast.waits)
    expect(after.demand.pools.find(({ id }) => id === 'quay')).toMatchObject({ slots: 3, peak: 3 })
    await expect(whatIf(VIEWER, request([{ off: { trigger: 'nobody' } }]))).rejects.toMatchObject({
      code: 'invalid-input',
      errors: [{ path: '[0].off.trigger' }],
    })
  })

  it('costs what its schedules take', async () => {
    const costs = await costOfSchedules(VIEWER)
    expect(costs.map(({ trigger, slotMinutes, pool }) => [trigger, slotMinutes, pool]).sort()).toEqual([
      ['first', 20, 'quay'],
      ['second', 20, 'quay'],
      ['third', 20, 'quay'],
    ])
  })
})

describe('proposals', () => {
  const search = async (): Promise<Awaited<ReturnType<typeof searchMoves>>> =>
    searchMoves(VIEWER, searchSchema.parse({ ...STRETCH, seconds: 2 }))

  it('are found, taken over in one change, and undone exactly', async () => {
    const { proposal, leastPeaks } = await search()
    expect(proposal.moves.map(({ trigger }) => trigger).sort()).toEqual(['first', 'second'])
    expect(proposal).toMatchObject({ before: { strain: 2 }, after: { strain: 0 }, proven: true })
    expect(leastPeaks.quay).toBe(1)
    const chosen = proposal.moves.map(({ trigger }) => trigger)
    await expect(takeOver(OPERATOR, { ...STRETCH, answer: proposal, chosen })).rejects.toMatchObject({
      code: 'not-allowed',
    })
    const { id } = await takeOver(ADMIN, { ...STRETCH, answer: proposal, chosen })
    for (const { trigger, to } of proposal.moves)
      expect(await timeOf(trigger === 'first' ? 'First' : 'Second')).toEqual({ at: [to] })
    const [row] = await listProposals(VIEWER)
    expect(row).toMatchObject({
      id,
      taken: expect.arrayContaining(chosen) as string[],
      undone: null,
      came: { since: { deadlines: 0 } },
    })
    // Somebody changes one of them since: that one stays.
    const first = await oneTrigger(ADMIN, idOf('First'))
    await saveTrigger(ADMIN, idOf('First'), { ...picked(first), notes: 'mine', sure: true })
    expect(await undo(ADMIN, id)).toEqual({
      back: ['second'],
      kept: [{ trigger: 'first', why: 'Somebody changed it since.' }],
    })
    expect(await timeOf('Second')).toEqual({ at: ['02:00'] })
    await expect(undo(ADMIN, id)).rejects.toMatchObject({ code: 'not-now' })
    await expect(undo(ADMIN, 999)).rejects.toMatchObject({ code: 'not-found' })
    const [{ n } = { n: 0 }] = await many<{ n: number }>(
      null,
      `SELECT count(*)::int AS n FROM audit WHERE object_type = 'proposal'`,
    )
    expect(n).toBe(2)
  })

  it('change nothing where a start is another by now', async () => {
    const current = await oneTrigger(ADMIN, idOf('First'))
    await saveTrigger(ADMIN, idOf('First'), {
      ...picked(current),
      definition: { ...current.definition, time: { at: ['02:00'] } },
      sure: true,
    })
    const { proposal } = await search()
    const chosen = proposal.moves.map(({ trigger }) => trigger)
    const second = await oneTrigger(ADMIN, idOf('Second'))
    await saveTrigger(ADMIN, idOf('Second'), {
      ...picked(second),
      definition: { ...second.definition, time: { at: ['02:10'] } },
      sure: true,
    })
    await expect(takeOver(ADMIN, { ...STRETCH, answer: proposal, chosen })).rejects.toMatchObject({
      code: 'conflict',
      errors: [{ path: 'second', message: 'It does not start at 02:00 any more.' }],
    })
    expect(await timeOf('First')).toEqual({ at: ['02:00'] })
  })
})

const picked = ({
  title,
  notes,
  jobId,
  enabled,
  version,
  definition,
}: Awaited<ReturnType<typeof oneTrigger>>): Omit<Parameters<typeof saveTrigger>[2], 'sure'> => ({
  title,
  notes,
  jobId,
  enabled,
  version,
  definition,
})

describe('variants', () => {
  it('are kept by name, listed for all, and removed', async () => {
    const changes = [{ off: { trigger: 'third' } }]
    const { id } = await addVariant(ADMIN, variantSchema.parse({ title: 'Without the third', changes }))
    expect(await listVariants(VIEWER)).toMatchObject([{ id, title: 'Without the third', changes }])
    await expect(addVariant(OPERATOR, variantSchema.parse({ title: 'x', changes }))).rejects.toMatchObject({
      code: 'not-allowed',
    })
    await removeVariant(ADMIN, id)
    expect(await listVariants(VIEWER)).toEqual([])
    await expect(removeVariant(ADMIN, id)).rejects.toMatchObject({ code: 'not-found' })
  })
})

describe('how right forecasts were', () => {
  /** A night of the second trigger that is over: begun at 02:00, ended so many minutes later. */
  const night = async (daysAgo: number, minutes: number): Promise<void> => {
    const at = new Date(today('02:00').getTime() - daysAgo * DAY_MS)
    await execute(
      null,
      `INSERT INTO runs (job_id, job_version, area_id, target, kind, cause, state, priority, attempts, trigger_id, trigger_version, occurrence, occurrence_day, due_at, created_at, ready_at, started_at, ended_at, duration_ms)
       SELECT t.job_id, 1, j.area_id, '{"pool":"quay"}', 'command', 'trigger', 'succeeded', 2, 1, t.id, 1, u.at, u.at::date, u.at + interval '45 minutes', u.at, u.at, u.at, u.at + make_interval(mins => u.minutes), u.minutes * 60000
         FROM triggers t JOIN jobs j ON j.id = t.job_id, (SELECT $2::timestamptz AS at, $3::int AS minutes) u WHERE t.id = $1`,
      [idOf('Second'), at, minutes],
    )
  }

  it('is told of the past, with only what was known then', async () => {
    for (let day = 2; day < 8; day++) await night(day, day === 3 ? 60 : 20)
    await execute(null, `UPDATE triggers SET enabled = false WHERE id <> $1`, [idOf('Second')])
    const current = await oneTrigger(ADMIN, idOf('Second'))
    await saveTrigger(ADMIN, idOf('Second'), {
      ...picked(current),
      definition: { ...current.definition, time: { at: ['02:00'] } },
      sure: true,
    })
    const { rows, forecasts, next } = await backtest(VIEWER, backtestSchema.parse({ days: 20 }))
    expect(next).toBeNull()
    // Two hours before it is still to begin, ten minutes before only the late one goes on.
    expect(rows.filter(({ lead }) => lead === '2h')).toHaveLength(6)
    expect(rows.filter(({ lead }) => lead === '10m')).toHaveLength(1)
    expect(forecasts).toBeGreaterThanOrEqual(13)
    expect(rows.filter(({ lead, inTime }) => lead === '2h' && inTime)).toHaveLength(5)
    for (const { lead, chance } of rows) if (lead === '2h') expect(chance).toBeGreaterThan(0.7)
    // In parts: each goes on where the one before stopped.
    const parts: string[] = []
    for (let before: string | undefined; ;) {
      const part = await backtest(VIEWER, backtestSchema.parse({ days: 20, ...(before ? { before } : {}) }), 0)
      parts.push(...part.rows.map(({ lead, finish }) => `${lead} ${finish}`))
      if (part.next === null) break
      before = part.next
    }
    expect(parts.sort()).toEqual(rows.map(({ lead, finish }) => `${lead} ${finish}`).sort())
  })

  it('is told of what was kept, by how long before, with the weeks', async () => {
    const { occurrence } = await one<{ occurrence: Date }>(
      null,
      'SELECT occurrence FROM runs WHERE trigger_id = $1 ORDER BY occurrence LIMIT 1',
      [idOf('Second')],
    )
    await execute(
      null,
      `INSERT INTO told_deadlines (trigger_id, occurrence, lead, told_at, due_at, chance, finish_p50)
       VALUES ($1, $2::timestamptz, '2h', now(), $2::timestamptz + interval '45 minutes', 0.8, $2::timestamptz + interval '25 minutes')`,
      [idOf('Second'), occurrence],
    )
    const { byLead, byTrigger, adherence } = await accuracy(VIEWER, { days: 28 })
    expect(byLead['2h']).toMatchObject({ count: 1, inTime: 1, errorP50: 300 })
    expect(byLead['2h'].brier).toBeCloseTo(0.04)
    expect(byTrigger).toMatchObject([{ trigger: 'second', title: 'Second' }])
    expect(adherence).toMatchObject([{ title: 'Second' }])
    expect(adherence[0]?.weeks.reduce((sum, { deadlines, inTime }) => sum + deadlines - inTime, 0)).toBe(1)
  })
})
