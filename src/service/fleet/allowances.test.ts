import { randomUUID } from 'node:crypto'
import { actor, ADMIN, freshDatabase, OPERATOR, VIEWER } from '@/store/database.test-help'
import { execute, many, one } from '@/store/db'
import { makeAgent, makeJob } from '@/service/fixtures.test-help'
import { HOUR_MS } from '@/core/fleet/use'
import { changed } from '@/core/forecast/changed'
import { nightOf } from '@/core/forecast/night'
import { Placer } from '@/engine/placer'
import { forecastMaterial } from '@/service/forecast/material'
import { listMatters } from '@/service/runs/matters'
import { takeLeadership } from '@/service/runs/leadership'
import { whyWaiting } from '@/service/runs/run-page'
import { startRun, startSchema } from '@/service/runs/start'
import { keepUse, readUse } from '@/service/runs/use'
import { accountSchema, addAccount } from './accounts'
import { answerAsk, answerSchema, askForMore, endGrants, moreSchema, withdrawAsk } from './allowance-asks'
import { listAllowances, setAllowance, type AllowanceRow } from './allowances'
import { addRobot, changeRobot, robotSchema } from './robots'

freshDatabase()

const DESIGNER = actor('designer')
let petra: number
let sailing: number
let vessels: number
let agentId: number
let agent: string

beforeEach(async () => {
  for (const table of ['runs', 'allowances', 'allowance_use', 'matters', 'robots'])
    await execute(null, `DELETE FROM ${table}`)
  agent = `quay-${randomUUID().slice(0, 8)}`
  agentId = await makeAgent(agent, 8)
  const area = async (title: string, parent: number | null): Promise<number> =>
    (
      await one<{ id: number }>(null, 'INSERT INTO areas (title, parent_id) VALUES ($1, $2) RETURNING id', [
        title,
        parent,
      ])
    ).id
  sailing = await area(`Sailing ${agent}`, null)
  vessels = await area('Vessels', sailing)
  petra = (
    await one<{ id: number }>(
      null,
      `INSERT INTO people (email, name, role) VALUES ($1, 'Petra Flett', 'designer') RETURNING id`,
      [`${agent}@marram.example`],
    )
  ).id
})

const start = async (areaId: number, slots = 1): Promise<number> => {
  const jobId = await makeJob({ target: { agent }, slots })
  await execute(null, 'UPDATE jobs SET area_id = $2 WHERE id = $1', [jobId, areaId])
  return (await startRun(ADMIN, startSchema.parse({ jobId }))).id
}
const place = async (): Promise<number> => new Placer(await takeLeadership(randomUUID())).placeOnce()
const allow = (areaId: number | null, units: number | null, what: AllowanceRow['what'] = 'slots'): Promise<void> =>
  setAllowance(ADMIN, { what, areaId, units })
const row = async (areaId: number | null, what: AllowanceRow['what'] = 'slots'): Promise<AllowanceRow> => {
  const { allowances } = await listAllowances(ADMIN)
  const found = allowances.find((each) => each.areaId === areaId && each.what === what)
  if (!found) throw new Error('There is no such row.')
  return found
}
const idOf = async (areaId: number | null): Promise<number> => (await row(areaId)).id ?? 0

describe('what may be used at once', () => {
  it('counts an area with all that lies in it; what is beyond waits, and says why', async () => {
    await allow(sailing, 3)
    const runs = [await start(sailing, 2), await start(vessels), await start(vessels)]
    const [elsewhere] = await many<{ id: number }>(null, `SELECT id FROM areas WHERE parent_id IS NULL AND id <> $1`, [
      sailing,
    ])
    const other = await start(elsewhere?.id ?? 0)
    expect(await place()).toBe(3)
    expect(await whyWaiting(OPERATOR, runs[2] ?? 0)).toEqual({
      why: 'allowance',
      of: `slots in Sailing ${agent}`,
      units: 3,
      holders: [runs[0], runs[1]],
    })
    expect(await one(null, 'SELECT state FROM runs WHERE id = $1', [other])).toEqual({ state: 'running' })
    expect(await row(sailing)).toMatchObject({ units: 3, allowed: 3, used: 3 })
    expect(await row(null)).toMatchObject({ id: null, units: null, used: 4 })
    await allow(sailing, 4)
    expect(await place()).toBe(1)
  })

  it('the whole server has one beside those of areas; without a limit everything goes', async () => {
    await allow(null, 1)
    await start(sailing)
    const second = await start(sailing)
    expect(await place()).toBe(1)
    expect(await whyWaiting(OPERATOR, second)).toMatchObject({ why: 'allowance', of: 'slots', units: 1 })
    await allow(null, null)
    expect(await place()).toBe(1)
    await expect(allow(null, null)).rejects.toThrow('There is no limit on slots.')
    await expect(setAllowance(OPERATOR, { what: 'slots', areaId: null, units: 3 })).rejects.toThrow()
    await expect(allow(999_999, 3)).rejects.toThrow('There is no area 999999.')
  })

  it('a forecast counts it as the engine does', async () => {
    await allow(sailing, 3)
    const jobId = await makeJob({ target: { agent }, slots: 2 }, 'Tides')
    await execute(null, 'UPDATE jobs SET area_id = $2 WHERE id = $1', [jobId, vessels])
    const { bundle, server, now } = await forecastMaterial(ADMIN)
    const lock = `allowance slots in Sailing ${agent}`
    expect(server.allowances).toEqual([{ what: 'slots', lock, area: `Sailing ${agent}`, units: 3 }])
    // There is room for all at once on its agent; two of them are more than the area may use.
    const { slug } = await one<{ slug: string }>(null, 'SELECT slug FROM jobs WHERE id = $1', [jobId])
    const extra = { extra: { work: slug, at: new Date((now + 60) * 1000).toISOString(), times: 3 } }
    const starts = (allowances: typeof server.allowances): string[] => {
      // A change is checked with all that it changes: an allowance is no part of the file.
      const material = changed({ bundle, server: { ...server, ...(allowances ? { allowances } : {}) } }, [extra])
      return nightOf(material, now, 1, { samples: 0 }).runs.flatMap((run) => (run.start === null ? [] : [run.start]))
    }
    expect(new Set(starts(server.allowances)).size).toBe(3)
    expect(new Set(starts([])).size).toBe(1)
  })

  it('more robots than are allowed are not registered', async () => {
    await allow(null, 1, 'unattended')
    const register = async (name: string, kind: 'attended' | 'unattended'): Promise<number> => {
      const account = { id: (await addAccount(ADMIN, accountSchema.parse({ name, userName: name }))).id }
      return (await addRobot(ADMIN, robotSchema.parse({ name, agentId, account, kind }))).id
    }
    await register(`${agent}-a`, 'unattended')
    await expect(register(`${agent}-b`, 'unattended')).rejects.toThrow(
      '1 unattended robot is allowed here, and 1 is registered. Ask for more under Fleet, Allowances.',
    )
    const attended = await register(`${agent}-c`, 'attended')
    await expect(changeRobot(ADMIN, attended, { kind: 'unattended' })).rejects.toThrow('1 unattended robot is allowed')
  })
})

describe('asking for more', () => {
  const ask = async (more: object = {}, who = { ...DESIGNER, id: petra, name: 'Petra Flett' }): Promise<number> =>
    (await askForMore(who, await idOf(sailing), moreSchema.parse({ units: 2, why: 'The spring timetable.', ...more })))
      .id

  it('opens a matter; granted for good it is part of the allowance', async () => {
    await allow(sailing, 3)
    const id = await ask()
    expect((await listMatters(ADMIN)).map(({ title }) => title)).toEqual([
      `Petra Flett asks for 2 more slots in Sailing ${agent}`,
    ])
    expect(await answerAsk(ADMIN, id, { grant: true, answer: '' })).toMatchObject({
      units: 2,
      email: `${agent}@marram.example`,
    })
    expect(await row(sailing)).toMatchObject({ units: 5, allowed: 5, grants: [] })
    expect(await listMatters(ADMIN)).toEqual([])
    await expect(answerAsk(ADMIN, id, { grant: true, answer: '' })).rejects.toThrow('It is granted already.')
  })

  it('granted until an instant it counts until then, and the record says when it was over', async () => {
    await allow(sailing, 3)
    const until = new Date(Date.now() + HOUR_MS).toISOString()
    const id = await ask({ until })
    await answerAsk(ADMIN, id, { grant: true, answer: 'Until the timetable is out.' })
    expect(await row(sailing)).toMatchObject({ units: 3, allowed: 5, grants: [{ units: 2 }] })
    await execute(null, `UPDATE allowance_asks SET until = now() - interval '1 second' WHERE id = $1`, [id])
    await endGrants()
    await endGrants()
    expect(await row(sailing)).toMatchObject({ units: 3, allowed: 3, grants: [] })
    const said = await many(
      null,
      `SELECT action FROM audit WHERE object_type = 'allowance' AND action = 'granted until now' AND object_title LIKE $1`,
      [`%${agent}`],
    )
    expect(said).toHaveLength(1)
  })

  it('is declined with a sentence, or taken back by whoever asked', async () => {
    await allow(sailing, 3)
    const [first, second] = [await ask(), await ask()]
    expect(answerSchema.safeParse({ grant: false, answer: ' ' }).error?.issues[0]?.message).toBe(
      'Say why not, in a sentence.',
    )
    await answerAsk(ADMIN, first, { grant: false, answer: 'The database cannot take more.' })
    await expect(withdrawAsk({ ...DESIGNER, id: petra + 1 }, second)).rejects.toThrow()
    await withdrawAsk({ ...DESIGNER, id: petra }, second)
    const { asks } = await listAllowances({ ...DESIGNER, id: petra })
    expect(asks.map(({ state, answer, isMine }) => [state, answer, isMine])).toEqual([
      ['withdrawn', '', true],
      ['declined', 'The database cannot take more.', true],
    ])
    expect(await row(sailing)).toMatchObject({ allowed: 3 })
    expect(await listMatters(ADMIN)).toEqual([])
  })

  it('is for whoever designs; only of what has a limit, for a time to come, and not without end', async () => {
    await allow(sailing, 3)
    await expect(ask({}, { ...VIEWER, id: petra, name: 'Petra Flett' })).rejects.toThrow()
    await expect(ask({ until: '2020-01-01T00:00:00Z' })).rejects.toThrow('This is over already.')
    await expect(askForMore(ADMIN, 999_999, moreSchema.parse({ units: 1, why: 'x' }))).rejects.toThrow('no allowance')
    await expect(answerAsk(OPERATOR, await ask(), { grant: true, answer: '' })).rejects.toThrow()
    for (let i = 0; i < 19; i++) await ask()
    await expect(ask()).rejects.toThrow('20 are open already')
    await allow(sailing, null)
    expect(await listMatters(ADMIN)).toEqual([])
  })
})

describe('how much was in use', () => {
  it('is kept by the hour from what ran, for each area and everything, once', async () => {
    const now = Date.now()
    const hour = Math.floor(now / HOUR_MS) * HOUR_MS
    const ran = async (areaId: number, fromMs: number, minutes: number, slots: number): Promise<void> => {
      const id = await start(areaId, slots)
      await execute(
        null,
        `INSERT INTO attempts (run_id, number, agent_id, state, lease_until, handed_at, ended_at) VALUES ($1, 1, $2, 'succeeded', now(), $3, $4)`,
        [id, agentId, new Date(fromMs), new Date(fromMs + minutes * 60_000)],
      )
      await execute(null, `UPDATE runs SET state = 'succeeded' WHERE id = $1`, [id])
    }
    await ran(vessels, hour - 3 * HOUR_MS, 60, 2)
    await ran(sailing, hour - 3 * HOUR_MS + 30 * 60_000, 60, 1)
    expect(await keepUse(now)).toBe(false)
    expect(await keepUse(now)).toBe(false)
    const over = async (areaId?: number): Promise<[number, number][]> =>
      (await readUse(VIEWER, { what: 'slots', days: 14, ...(areaId ? { areaId } : {}) })).hours.map(
        ({ peak, mean }) => [peak, mean],
      )
    expect(await over()).toEqual([
      [3, 2.5],
      [1, 0.5],
      [0, 0],
      [0, 0],
    ])
    expect(await over(sailing)).toEqual([
      [3, 2.5],
      [1, 0.5],
      [0, 0],
    ])
    expect(await over(vessels)).toEqual([
      [2, 2],
      [0, 0],
    ])
    expect(await row(null)).toMatchObject({ peak: 3 })
  })
})
