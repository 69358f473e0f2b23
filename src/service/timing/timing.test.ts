import { ADMIN, actor, freshDatabase, OPERATOR, VIEWER } from '@/store/database.test-help'
import { execute, many, one } from '@/store/db'
import type { DayRule } from '@/core/calendar/rule'
import { parseIsoDay } from '@/core/calendar/days'
import { importBundle } from '@/service/exchange/bundle-in'
import { exportBundle } from '@/service/exchange/bundle-out'
import { calendarIcs, readIcs, subscribe, subscribedIcs, unsubscribe } from '@/service/exchange/calendar-files'
import { calendarUses, holidayChangesOf, takeOverHolidays } from './calendar-uses'
import { listCalendars, oneCalendar, removeCalendar, saveCalendar } from './calendars'
import { nextStarts } from '@/service/forecast/coming'
import { exportCrontab, importCrontab, previewCrontab } from '@/service/exchange/crontabs'
import { makeAgent, makeJob } from '@/service/fixtures.test-help'
import { previewCalendar, previewTrigger, triggerPreviewSchema } from '@/service/forecast/previews'
import { saveTooOften } from './starts'
import {
  fire,
  makeCalendar,
  makeTrigger,
  missedOf,
  nextOf,
  occurrencesOf,
  type TriggerRequest,
} from './timing.test-help'
import { triggerHistory, triggerMachines, listMissed } from './trigger-history'
import { listTriggers, triggerFilterSchema, type TriggerFilter } from './trigger-list'
import { triggerDefinitionSchema } from '@/core/work/trigger'
import { addTrigger, oneTrigger, removeTrigger, saveTrigger } from './triggers'
import { addLock, listLocks } from '@/service/fleet/locks'
import { addArea } from '@/service/work/areas'
import { oneJob, removeJob } from '@/service/work/work'

freshDatabase()

const TODAY = parseIsoDay('2027-03-09') as number
const WEEKDAYS: DayRule = { weekdays: ['MO', 'TU', 'WE', 'TH', 'FR'] }
const definition = (change: object = {}): ReturnType<typeof triggerDefinitionSchema.parse> =>
  triggerDefinitionSchema.parse({ time: { at: ['17:00'] }, zone: 'Europe/London', ...change })
const filter = (request: object = {}): TriggerFilter => triggerFilterSchema.parse(request)

let agentId: number
beforeAll(async () => {
  agentId = await makeAgent('a1', 8)
  await execute(null, `INSERT INTO pools (name, title) VALUES ('quay', 'Quay')`)
  await execute(null, `INSERT INTO pool_members SELECT id, $1 FROM pools`, [agentId])
})

describe('calendars', () => {
  it('know their days this year and the next, and who stands on them, also through others', async () => {
    const base = await makeCalendar('base', WEEKDAYS)
    const end = await makeCalendar('base-end', { nth: { n: -1, of: { calendar: 'base' }, in: 'month' } })
    const trigger = await makeTrigger({ on: { calendar: 'base-end' } }, 'Statements')
    expect((await listCalendars(VIEWER, TODAY)).find((row) => row.slug === 'base-end')).toMatchObject({
      daysThisYear: 12,
      nextDay: '2027-03-31',
      triggers: 1,
    })
    expect(await calendarUses(VIEWER, base.id)).toEqual([
      expect.objectContaining({ kind: 'calendar', id: end.id, isIndirect: false }),
      expect.objectContaining({ kind: 'trigger', id: trigger, isIndirect: true }),
    ])
    await expect(removeCalendar(ADMIN, base.id)).rejects.toThrow('Statements')
    await removeTrigger(ADMIN, trigger)
    await expect(removeCalendar(ADMIN, base.id)).rejects.toThrow('base-end')
    await removeCalendar(ADMIN, end.id)
    await removeCalendar(ADMIN, base.id)
  })

  it.each<[string, DayRule, string]>([
    ['a calendar that is not there', { all: [{ calendar: 'nowhere' }] }, 'rule.all[0].calendar'],
    ['a country that is not there', { holidays: { country: 'XX' } }, 'rule.holidays.country'],
    ['itself', { calendar: 'self' }, 'rule'],
  ])('refuse %s, with its path', async (_, rule, path) => {
    await expect(makeCalendar('self', rule)).rejects.toMatchObject({ code: 'invalid-input', errors: [{ path }] })
  })

  it('refuse a loop through others, and a name that is taken', async () => {
    const one = await makeCalendar('loop-a', WEEKDAYS)
    await makeCalendar('loop-b', { calendar: 'loop-a' })
    const { title, notes, version } = await oneCalendar(ADMIN, one.id, TODAY)
    await expect(
      saveCalendar(ADMIN, one.id, { title, notes, version, rule: { not: { calendar: 'loop-b' } } }),
    ).rejects.toThrow(/loop-b, loop-a/)
    await expect(makeCalendar('loop-a', WEEKDAYS)).rejects.toMatchObject({ code: 'invalid-input' })
  })

  it('tell the second of two who save, and keep both', async () => {
    const { id } = await makeCalendar('shared', WEEKDAYS)
    const { title, notes, version } = await oneCalendar(ADMIN, id, TODAY)
    await saveCalendar(actor('designer', { name: 'Torvald' }), id, {
      title,
      notes,
      version,
      rule: { weekdays: ['MO'] },
    })
    await expect(saveCalendar(ADMIN, id, { title, notes, version, rule: { weekdays: ['TU'] } })).rejects.toMatchObject({
      code: 'conflict',
      extra: { theirs: expect.objectContaining({ rule: { weekdays: ['MO'] }, savedBy: 'Torvald' }) as object },
    })
  })

  it('changed take effect at once for what is not due yet; what is due keeps to the rule before', async () => {
    const { id } = await makeCalendar('moving', { dates: ['2026-01-01'] })
    const trigger = await makeTrigger({ on: { calendar: 'moving' }, lateStart: 'PT48H' })
    expect(await nextOf(trigger)).toBeNull()
    const soon = new Date(Date.now() + 40 * 86_400_000).toISOString().slice(0, 10)
    // As if the rule had had an occurrence an hour ago that no engine has seen yet.
    const { title, notes } = await oneCalendar(ADMIN, id, TODAY)
    const yesterday = new Date(Date.now() - 86_400_000).toISOString().slice(0, 10)
    await saveCalendar(ADMIN, id, { title, notes, version: 1, rule: { dates: [yesterday, soon] } })
    expect((await nextOf(trigger))?.slice(0, 10)).toBe(soon)
    await execute(null, `UPDATE triggers SET next_at = $2 WHERE id = $1`, [trigger, `${yesterday}T17:00:00Z`])
    await saveCalendar(ADMIN, id, { title, notes, version: 2, rule: { dates: ['2026-01-01'] } })
    expect((await occurrencesOf(trigger)).map((text) => text.slice(0, 10))).toEqual([yesterday])
    expect(await nextOf(trigger)).toBeNull()
  })

  it('keep the holidays they were made from, and show what an upgrade would change', async () => {
    const { id } = await makeCalendar('scottish', { holidays: { country: 'GB', region: 'SCT' } })
    const year = new Date().getUTCFullYear() + 1
    const kept = (
      await one<{ holidays: { wishes: Record<string, Record<string, [string, string][]>> } }>(
        null,
        'SELECT holidays FROM calendars WHERE id = $1',
        [id],
      )
    ).holidays
    const days = kept.wishes['GB SCT public']?.[year] as [string, string][]
    const [first, second] = days
    // As an older state of the data would have it: one day missing, one more, one called otherwise.
    days.splice(0, 2, [second?.[0] as string, 'Second'], [`${year}-09-09`, 'Regatta'])
    await execute(null, `UPDATE calendars SET holidays = $2 WHERE id = $1`, [
      id,
      JSON.stringify({ ...kept, version: '3.0.0' }),
    ])
    await execute(null, `UPDATE settings SET value = to_jsonb(value::int + 1) WHERE key = 'timing-version'`)
    const state = await holidayChangesOf(VIEWER, id)
    expect(state.madeFrom).toBe('3.0.0')
    expect(state.changes).toEqual([
      { day: first?.[0], name: first?.[1], what: 'added' },
      { day: second?.[0], name: second?.[1], what: 'renamed' },
      { day: `${year}-09-09`, name: 'Regatta', what: 'dropped' },
    ])
    const has = async (text: string): Promise<boolean> =>
      (await calendarIcs(VIEWER, id, { from: year, to: year })).text.includes(
        `DTSTART;VALUE=DATE:${text.replaceAll('-', '')}`,
      )
    expect(await has(`${year}-09-09`)).toBe(true)
    await takeOverHolidays(ADMIN, id)
    expect(await has(`${year}-09-09`)).toBe(false)
    expect((await holidayChangesOf(VIEWER, id)).changes).toEqual([])
  })

  it('are read from an iCalendar file, written as one, and subscribed to by a secret address', async () => {
    const ics =
      'BEGIN:VCALENDAR\r\nVERSION:2.0\r\nBEGIN:VEVENT\r\nUID:1\r\nDTSTART;VALUE=DATE:20270503\r\nSUMMARY:Stocktaking\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n'
    const read = await readIcs(ADMIN, { text: ics })
    expect(read).toMatchObject({ days: { dates: [{ date: '2027-05-03', title: 'Stocktaking' }] }, says: '2027-05-03' })
    await expect(readIcs(ADMIN, { text: 'hello' })).rejects.toMatchObject({ errors: [{ path: 'text' }] })
    const { id } = await makeCalendar('stock', read.days)
    const { path } = await subscribe(ADMIN, id)
    const token = /^\/calendars\/(.+)\.ics$/.exec(path)?.[1] as string
    expect((await subscribedIcs(token))?.text).toContain('SUMMARY:Stocktaking')
    await unsubscribe(ADMIN, id)
    expect(await subscribedIcs(token)).toBeUndefined()
    await expect(unsubscribe(ADMIN, id)).rejects.toMatchObject({ code: 'not-found' })
  })
})

describe('triggers', () => {
  it('always have their next start, a sentence, and their cadence', async () => {
    const id = await makeTrigger(
      { time: { every: { step: 'PT15M', from: '06:00', until: '22:00' } }, on: WEEKDAYS },
      'Vessel logs',
    )
    const trigger = await oneTrigger(VIEWER, id)
    expect(trigger).toMatchObject({
      slug: 'vessel-logs',
      says: 'every 15 minutes between 06:00 and 22:00 on weekdays',
      version: 1,
    })
    expect(trigger.nextAt).not.toBeNull()
    expect(trigger.runsPerDay).toBeGreaterThan(40)
  })

  it.each<[string, TriggerRequest, string]>([
    ['an unknown calendar', { on: { calendar: 'nowhere' } }, 'definition.on.calendar'],
    ['an unknown country', { notOn: { holidays: { country: 'XX' } } }, 'definition.notOn.holidays.country'],
    ['inputs that the job does not have', { with: { harbour: 'orrin' } }, 'definition.with.harbour'],
  ])('refuse %s, with its path', async (_, change, path) => {
    await expect(makeTrigger(change)).rejects.toMatchObject({ code: 'invalid-input', errors: [{ path }] })
  })

  it('refuse a job that asks for a secret, and one that is not there', async () => {
    const input = { name: 'password', title: '', type: 'secret' as const, options: [], default: null, ask: true }
    await expect(makeTrigger({ jobId: await makeJob({ inputs: [input] }) })).rejects.toMatchObject({
      errors: [{ path: 'jobId' }],
    })
    await expect(makeTrigger({ jobId: 999_999 })).rejects.toMatchObject({ errors: [{ path: 'jobId' }] })
  })

  it('ask before a rule is saved that never fires, or fires all too often', async () => {
    const jobId = await makeJob()
    const add = (change: object, sure: boolean): Promise<{ id: number }> =>
      addTrigger(ADMIN, { title: 'Odd', notes: '', jobId, enabled: true, definition: definition(change), sure })
    await expect(add({ time: { cron: '0 0 30 2 *' } }, false)).rejects.toMatchObject({
      code: 'ask-first',
      detail: expect.stringContaining('no occurrence in the next 20 years') as string,
    })
    await expect(add({ time: { every: { step: 'PT1S' } } }, false)).rejects.toMatchObject({
      code: 'ask-first',
      detail: expect.stringContaining('86,400 runs on one day') as string,
    })
    expect((await add({ time: { cron: '0 0 30 2 *' } }, true)).id).toBeGreaterThan(0)
  })

  it('tell the second of two who save', async () => {
    const id = await makeTrigger()
    const { title, notes, jobId, enabled } = await oneTrigger(ADMIN, id)
    const save = (version: number): Promise<{ version: number }> =>
      saveTrigger(ADMIN, id, {
        title,
        notes,
        jobId,
        enabled,
        definition: definition({ time: { at: ['18:00'] } }),
        version,
        sure: false,
      })
    expect(await save(1)).toEqual({ version: 2 })
    await expect(save(1)).rejects.toMatchObject({ code: 'conflict' })
  })

  it('changed while starts are off give up what waited, and say so', async () => {
    const id = await makeTrigger({ lateStart: 'P7D' })
    await execute(null, `UPDATE triggers SET next_at = now() - interval '1 day' WHERE id = $1`, [id])
    await execute(null, `UPDATE settings SET value = '{"on": false}' WHERE key = 'starts'`)
    const { title, notes, jobId, enabled } = await oneTrigger(ADMIN, id)
    await saveTrigger(ADMIN, id, {
      title,
      notes,
      jobId,
      enabled,
      definition: definition({ time: { at: ['18:00'] } }),
      version: 1,
      sure: false,
    })
    await execute(null, `UPDATE settings SET value = '{"on": true}' WHERE key = 'starts'`)
    expect((await missedOf(id)).map(({ why }) => why)).toEqual(['starts off'])
  })

  it('keep their job from being removed', async () => {
    const jobId = await makeJob()
    const id = await makeTrigger({ jobId }, 'Keeper')
    await expect(removeJob(ADMIN, jobId)).rejects.toThrow('Keeper')
    await removeTrigger(ADMIN, id)
    await removeJob(ADMIN, jobId)
  })
})

describe('before saving', () => {
  const preview = (request: object): ReturnType<typeof previewTrigger> =>
    previewTrigger(VIEWER, triggerPreviewSchema.parse(request))

  it('a trigger shows its next starts, what changes, its load, and the clock changes that matter', async () => {
    const jobId = await makeJob({ target: { pool: 'quay' } })
    const id = await makeTrigger({ jobId })
    const shown = await preview({ id, jobId, definition: definition({ time: { at: ['01:30'] } }) })
    expect(shown.says).toBe('at 01:30 every day')
    expect(shown.next).toHaveLength(20)
    expect(shown.changes?.moved.length).toBeGreaterThan(15)
    expect(shown.clockDates.length).toBeGreaterThanOrEqual(4)
    expect(new Set(shown.clockDates.map((date) => date.what))).toEqual(new Set(['gap', 'fold']))
    expect(shown.load).toMatchObject({ pool: 'quay', capacity: 8, bucketMinutes: 15 })
    expect(shown.load?.mine.reduce((sum, slots) => sum + slots, 0)).toBeCloseTo(1 / 15, 3)
    const same = await preview({ id, jobId, definition: definition() })
    expect(same.changes).toEqual({ added: [], dropped: [], moved: [] })
    expect(same.clockDates).toEqual([])
    const off = await preview({ id, jobId, enabled: false, definition: definition() })
    expect(off.changes?.dropped).toHaveLength(20)
    await expect(preview({ definition: definition({ on: { calendar: 'nowhere' } }) })).rejects.toMatchObject({
      errors: [{ path: 'definition.on.calendar' }],
    })
  })

  it('a calendar shows which starts change, of every trigger that stands on it', async () => {
    const { id } = await makeCalendar('previewed', WEEKDAYS)
    await makeCalendar('previewed-end', { nth: { n: -1, of: { calendar: 'previewed' }, in: 'month' } })
    const direct = await makeTrigger({ on: { calendar: 'previewed' } }, 'Direct')
    const through = await makeTrigger({ on: { calendar: 'previewed-end' } }, 'Through')
    await makeTrigger({}, 'Not concerned')
    const shown = await previewCalendar(VIEWER, { id, rule: { weekdays: ['MO', 'TU', 'WE', 'TH'] } })
    expect(shown).toMatchObject({ says: 'Mondays, Tuesdays, Wednesdays and Thursdays', looked: 2 })
    const of = (trigger: number): (typeof shown.triggers)[number] | undefined =>
      shown.triggers.find((each) => each.id === trigger)
    expect(of(direct)?.changes.dropped.length).toBeGreaterThan(0)
    expect(of(through)?.changes.moved.length).toBeGreaterThan(0)
    expect((await previewCalendar(VIEWER, { id, rule: WEEKDAYS })).triggers).toEqual([])
    expect(await nextOf(direct)).not.toBeNull()
  })
})

describe('the list of schedules', () => {
  it('is narrowed down, sorted and paged', async () => {
    await execute(null, 'UPDATE triggers SET deleted_at = now() WHERE deleted_at IS NULL')
    const jobId = await makeJob({ target: { pool: 'quay' } }, 'Fleet check')
    const often = await makeTrigger({ jobId, time: { every: { step: 'PT10M' } }, spread: 'each' }, 'Often')
    const daily = await makeTrigger({ time: { at: ['03:00'] }, priority: 'urgent' }, 'Daily')
    const off = await makeTrigger({ enabled: false }, 'Off')
    const weekly = await makeTrigger({ on: { weekdays: ['MO'] } }, 'Weekly')
    const ids = async (request: object): Promise<number[]> =>
      (await listTriggers(VIEWER, filter(request))).rows.map((row) => row.id)
    expect(await ids({ cadence: 'under-30-minutes' })).toEqual([often])
    expect(await ids({ cadence: 'weekly' })).toEqual([weekly])
    expect(await ids({ state: 'off' })).toEqual([off])
    expect(await ids({ text: 'mondays' })).toEqual([weekly])
    expect(await ids({ pool: 'quay' })).toEqual([often])
    expect(await ids({ load: 100 })).toEqual([often])
    expect(await ids({ sort: 'priority', limit: 1 })).toEqual([daily])
    expect(await ids({ sort: 'load', dir: 'desc', limit: 1 })).toEqual([often])
    expect(await ids({ outcome: 'none' })).toHaveLength(4)
    await saveTooOften(ADMIN, { minutes: 30, machines: 1 })
    expect(await ids({ flag: 'too-often' })).toEqual([])
    const second = await makeAgent('a2')
    await execute(null, `INSERT INTO pool_members SELECT id, $1 FROM pools WHERE name = 'quay'`, [second])
    expect(await ids({ flag: 'too-often' })).toEqual([often])
    const [row] = (await listTriggers(VIEWER, filter({ flag: 'too-often' }))).rows
    expect(row).toMatchObject({ machines: 2, spread: 'each', isTooOften: true, jobTitle: 'Fleet check' })
    expect(row?.load).toBeCloseTo(288, -1)
    for (const sort of ['title', 'next', 'cadence', 'load', 'priority'] as const)
      for (const dir of ['asc', 'desc'] as const) {
        const found: number[] = []
        let after: string | undefined
        do {
          const page = await listTriggers(VIEWER, filter({ sort, dir, limit: 1, ...(after ? { after } : {}) }))
          found.push(...page.rows.map((each) => each.id))
          after = page.next ?? undefined
        } while (after)
        expect([...found].sort()).toEqual([often, daily, off, weekly].sort())
        expect(found).toEqual(await ids({ sort, dir }))
      }
    await expect(listTriggers(VIEWER, filter({ after: 'nonsense' }))).rejects.toMatchObject({
      errors: [{ path: 'after' }],
    })
  })

  it('has a history: what ran where, what was not started, and which machines have not had it', async () => {
    const jobId = await makeJob({ target: { pool: 'quay' } })
    const id = await makeTrigger({
      jobId,
      time: { at: ['02:00', '03:00', '04:00'] },
      zone: 'UTC',
      overlap: 'skip',
      next: '2027-03-09T02:00:00Z',
    })
    await fire('2027-03-09T02:00:01Z', id)
    await fire('2027-03-09T03:00:01Z')
    await execute(
      null,
      `UPDATE runs SET agent_id = $2, state = 'succeeded', started_at = now(), ended_at = now() WHERE trigger_id = $1`,
      [id, agentId],
    )
    const history = await triggerHistory(VIEWER, id, { limit: 60 })
    expect(history.map((row) => [row.kind, new Date(row.at).toISOString().slice(11, 16)])).toEqual([
      ['not started', '03:00'],
      ['run', '02:00'],
    ])
    expect((await triggerMachines(VIEWER, id)).map(({ agent, last }) => [agent, last?.state ?? null])).toEqual([
      ['a1', 'succeeded'],
      ['a2', null],
    ])
    expect((await listMissed(VIEWER, undefined))[0]).toMatchObject({ triggerId: id, why: 'overlap' })
  })

  it('shows what comes next', async () => {
    await execute(null, 'UPDATE triggers SET deleted_at = now() WHERE deleted_at IS NULL')
    const now = new Date()
    const inHours = (hours: number): string => new Date(now.getTime() + hours * 3_600_000).toISOString().slice(11, 16)
    await makeTrigger({ time: { at: [inHours(2)] }, zone: 'UTC', finishBy: inHours(5) }, 'Soon')
    await makeTrigger({ time: { at: [inHours(4)] }, zone: 'UTC' }, 'Later')
    const next = await nextStarts(VIEWER, 5)
    expect(next.map((start) => start.title)).toEqual(['Soon', 'Later'])
    expect(next[0]).toMatchObject({ goesTo: 'a1', dueAt: expect.any(String) as string })
  })
})

describe('bundles', () => {
  it('go out and come in again without a change, and change what the file says', async () => {
    await execute(null, 'UPDATE triggers SET deleted_at = now() WHERE deleted_at IS NULL')
    const input = {
      name: 'harbour',
      title: 'Harbour',
      type: 'choice' as const,
      options: ['orrin', 'stavin'],
      default: 'orrin',
      ask: true,
    }
    const jobId = await makeJob(
      { target: { pool: 'quay' }, inputs: [input], retries: 2, timeLimitSeconds: 600, priority: 'high' },
      'Till file',
    )
    await makeTrigger({ jobId, with: { harbour: 'stavin' }, lateStart: 'PT20M', finishBy: '04:45' }, 'Till files')
    const out = await exportBundle(VIEWER)
    const same = await importBundle(ADMIN, out, false)
    expect(new Set(same.lines.map((line) => line.what))).toEqual(new Set(['same']))
    const file = JSON.parse(JSON.stringify(out)) as { triggers: { id: string; time: object }[]; calendars: object[] }
    const trigger = file.triggers.find(({ id }) => id === 'till-files') as { time: object }
    trigger.time = { at: ['18:00'] }
    file.calendars.push({ id: 'new-b', days: { calendar: 'new-a' } }, { id: 'new-a', days: WEEKDAYS })
    const tried = await importBundle(ADMIN, file, true)
    const done = await importBundle(ADMIN, file, false)
    expect(done).toEqual(tried)
    expect(done.lines.filter((line) => line.what !== 'same')).toEqual([
      { kind: 'calendar', id: 'new-a', what: 'added' },
      { kind: 'calendar', id: 'new-b', what: 'added' },
      { kind: 'trigger', id: 'till-files', what: 'changed' },
    ])
    expect((await exportBundle(VIEWER)).triggers?.find(({ id }) => id === 'till-files')).toMatchObject({
      time: { at: ['18:00'] },
      with: { harbour: 'stavin' },
    })
  })

  it('bring in jobs of every kind', async () => {
    const jobs = [
      {
        id: 'in-command',
        kind: 'command',
        command: 'true',
        pool: 'quay',
        area: 'Quay work',
        timeout: 'PT20M',
        retry: { times: 3, delay: 'PT30S' },
      },
      { id: 'in-script', kind: 'script', interpreter: 'sh', script: 'echo', labels: { os: 'linux' } },
      {
        id: 'in-wait',
        kind: 'wait',
        wait: 'PT1M30S',
        agent: 'a1',
        unreachable: { every: 'PT1M', times: 5, then: 'elsewhere' },
      },
    ]
    await importBundle(ADMIN, { format: 'bugle-bundle/1', pools: [{ id: 'quay' }], jobs }, false)
    const back = await exportBundle(VIEWER)
    for (const job of jobs) expect(back.jobs?.find(({ id }) => id === job.id)).toMatchObject(job)
  })

  it.each([
    ['a delay between retries while there are none', { retries: 0, retryDelaySeconds: 20 }],
    [
      'how often to look for an agent that is waited for',
      { unreachable: { everySeconds: 60, times: 3, then: 'wait' } },
    ],
    ['no time limit', { timeLimitSeconds: null }],
    [
      'watching what it writes',
      { watches: { masks: ['durations', 'process ids'], patterns: ['row \\d+'], matter: true } },
    ],
    [
      'keeping, success, version and folder',
      {
        keeping: { board: 'by-hand', boardHours: 3, historyDays: 30, outputDays: 20 },
        success: { exitCodes: [0, 4], must: { text: 'done', regex: true }, mustNot: null },
        minVersion: '1.2',
        folder: '/srv',
        slots: 2,
        priority: 'urgent',
      },
    ],
    [
      'inputs of every type',
      {
        inputs: [
          { name: 'count', type: 'number', default: '4' },
          { name: 'dry', type: 'yes-no', default: 'yes', ask: false },
          { name: 'which', type: 'choice', options: ['a', 'b'], title: 'Which one' },
          { name: 'day', type: 'day' },
          { name: 'key', type: 'secret' },
          { name: 'text', type: 'text', default: '' },
        ],
      },
    ],
  ])('carry a job’s %s there and back', async (_, change) => {
    await makeJob(change as object)
    const { lines } = await importBundle(ADMIN, await exportBundle(VIEWER), true)
    expect(lines.filter(({ what }) => what !== 'same')).toEqual([])
  })

  it('carry locks, and jobs that talk to others, there and back', async () => {
    await addLock(ADMIN, { name: 'fares-db', title: 'Fares database', units: 2 })
    const action = {
      kind: 'http' as const,
      method: 'GET' as const,
      url: 'http://x/',
      headers: {},
      body: '',
      expect: ['2xx'],
      pick: {},
      withinSeconds: 5,
    }
    const id = await makeJob({ locks: { 'fares-db': 2 }, action })
    const file = await exportBundle(VIEWER)
    expect(file.locks).toEqual([{ id: 'fares-db', title: 'Fares database', units: 2 }])
    const { lines } = await importBundle(ADMIN, file, true)
    expect(lines.filter(({ what }) => what !== 'same')).toEqual([])
    const changed = { ...file, locks: [{ id: 'fares-db', units: 3 }, { id: 'licence' }] }
    const told = (await importBundle(ADMIN, changed, false)).lines.filter(({ kind }) => kind === 'lock')
    expect(told.map(({ what }) => what)).toEqual(['changed', 'added'])
    expect(await listLocks(VIEWER)).toMatchObject([
      { name: 'fares-db', title: 'fares-db', units: 3 },
      { name: 'licence', units: 1 },
    ])
    expect((await oneJob(VIEWER, id)).definition.locks).toEqual({ 'fares-db': 2 })
  })

  it('bring in many triggers at once, each with a first version and its own line in the audit', async () => {
    const triggers = Array.from({ length: 40 }, (_, i) => ({
      id: `many-${i}`,
      title: 'Of the same title',
      start: { job: 'many' },
      time: { at: [`0${i % 10}:30`] },
      enabled: i % 2 === 0,
    }))
    const jobs = [{ id: 'many', kind: 'command', command: 'true', agent: 'a1' }]
    await importBundle(ADMIN, { format: 'bugle-bundle/1', zone: 'UTC', jobs, triggers }, false)
    const rows = await many<{
      slug: string
      id: number
      at: string
      enabled: boolean
      next: Date | null
      versions: number
      audit: number
    }>(
      null,
      `SELECT slug, id, definition->'time'->'at'->>0 AS at, enabled, next_at AS next,
              (SELECT count(*)::int FROM trigger_versions v WHERE v.trigger_id = t.id) AS versions,
              (SELECT count(*)::int FROM audit a WHERE a.object_type = 'trigger' AND a.object_id = t.id::text AND a.action = 'added') AS audit
         FROM triggers t WHERE slug LIKE 'many-%' ORDER BY id`,
    )
    expect(rows.map(({ slug }) => slug)).toEqual(triggers.map(({ id }) => id))
    for (const [i, row] of rows.entries()) {
      expect(row).toMatchObject({ at: `0${i % 10}:30`, versions: 1, audit: 1 })
      expect(row.next?.toISOString().slice(11, 16) ?? null).toBe(i % 2 === 0 ? `0${i % 10}:30` : null)
    }
    await execute(null, `UPDATE triggers SET deleted_at = now() WHERE slug LIKE 'many-%'`)
  })

  it.each<[string, object, string]>([
    ['a fault of the file', { jobs: [{ id: 'X' }] }, 'jobs[0].id'],
    ['a job without a kind', { jobs: [{ id: 'j' }] }, 'jobs[0]'],
    ['a job without a target', { jobs: [{ id: 'j', kind: 'command', command: 'true' }] }, 'jobs[0]'],
    [
      'a job whose inputs clash',
      { jobs: [{ id: 'j', kind: 'command', command: 'true', agent: 'a1', inputs: [{ name: 'x', type: 'choice' }] }] },
      'jobs[0].inputs[0].options',
    ],
    [
      'an account that there is not',
      { jobs: [{ id: 'j', kind: 'command', command: 'true', agent: 'a1', account: 'nobody' }] },
      'jobs[0].account',
    ],
    [
      'more units than a lock has',
      { locks: [{ id: 'l' }], jobs: [{ id: 'j', kind: 'command', command: 'true', agent: 'a1', locks: { l: 2 } }] },
      'jobs[0].locks',
    ],
  ])('are refused for %s, and nothing is kept', async (_, file, path) => {
    const before = await many(null, 'SELECT id FROM jobs')
    await expect(importBundle(ADMIN, { format: 'bugle-bundle/1', ...file }, false)).rejects.toMatchObject({
      code: 'invalid-input',
      errors: expect.arrayContaining([expect.objectContaining({ path })]) as object,
    })
    expect(await many(null, 'SELECT id FROM jobs')).toEqual(before)
  })

  it('need the right to make pools where there is a new one', async () => {
    await expect(
      importBundle(actor('designer'), { format: 'bugle-bundle/1', pools: [{ id: 'brand-new' }] }, false),
    ).rejects.toMatchObject({ code: 'not-allowed' })
    await expect(importBundle(OPERATOR, { format: 'bugle-bundle/1' }, false)).rejects.toMatchObject({
      code: 'not-allowed',
    })
  })
})

describe('crontabs', () => {
  it('become jobs and triggers, switched off until they were looked at, and go out again', async () => {
    const text = 'CRON_TZ=Europe/Oslo\n30 6 * * 1-5 /opt/tarn/till\n30 7 * * * /opt/tarn/till\n@reboot x\n'
    const shown = await previewCrontab(ADMIN, { text, kind: 'user' })
    expect(shown.says).toEqual(['at 06:30 on weekdays', 'at 07:30 every day'])
    const areaId = (await addArea(ADMIN, { title: 'From crontabs', notes: '' })).id
    const done = await importCrontab(ADMIN, {
      text,
      kind: 'user',
      areaId,
      target: { pool: 'quay' },
      zone: 'Europe/London',
      enabled: false,
    })
    expect([done.jobIds.length, done.triggerIds.length]).toEqual([1, 2])
    const trigger = await oneTrigger(VIEWER, done.triggerIds[0] as number)
    expect(trigger).toMatchObject({
      enabled: false,
      nextAt: null,
      definition: { zone: 'Europe/Oslo', time: { cron: '30 6 * * 1-5' } },
    })
    expect((await exportCrontab(VIEWER)).text).not.toContain('/opt/tarn/till')
    const { title, notes, jobId, definition: saved } = trigger
    await saveTrigger(ADMIN, trigger.id, {
      title,
      notes,
      jobId,
      enabled: true,
      definition: saved,
      version: 1,
      sure: false,
    })
    expect((await exportCrontab(VIEWER)).text).toContain('CRON_TZ=Europe/Oslo\n# till\n30 6 * * 1-5 /opt/tarn/till')
  })
})
