import { ADMIN, actor, freshDatabase } from '@/store/database.test-help'
import { execute, one } from '@/store/db'
import { makeAgent, makeJob } from '@/service/fixtures.test-help'
import { takeMatter } from '@/service/runs/matters'
import { startRun, startSchema } from '@/service/runs/start'
import { addPerson } from '@/service/people/people'
import { makeCalendar, makeTrigger } from '@/service/timing/timing.test-help'
import { opensAt, startPage } from './start-page'

freshDatabase()

const left = async (): Promise<string[] | null> =>
  (await startPage(ADMIN)).steps?.filter(({ isDone }) => !isDone).map(({ id }) => id) ?? null

describe('first steps', () => {
  it('tick themselves one after the other, and are gone once all are done; Bugle opens there until then', async () => {
    const all = ['agent', 'job', 'run', 'calendar', 'trigger', 'notice', 'person']
    expect(await left()).toEqual(all)
    expect(await opensAt(ADMIN, {})).toBe('start')
    expect(await opensAt(ADMIN, { opens: 'timing' })).toBe('timing')
    expect(await opensAt(actor('viewer'), {})).toBe('watch')
    expect((await startPage(actor('operator'))).steps).toBeNull()
    await makeAgent('a1')
    const jobId = await makeJob()
    expect(await left()).toEqual(all.slice(2))
    await startRun(ADMIN, startSchema.parse({ jobId }))
    await makeCalendar('works', { weekdays: ['MO'] })
    await makeTrigger({ jobId })
    expect(await left()).toEqual(['notice', 'person'])
    await execute(
      null,
      `INSERT INTO notices (title, events, action, changed_by) VALUES ('Told', '{failed}', '{}', 'x')`,
    )
    for (const name of ['ines', 'callum'])
      await addPerson(ADMIN, { email: `${name}@marram.example`, name, role: 'viewer', password: 'gulls over the pier' })
    expect(await left()).toBeNull()
    expect(await opensAt(ADMIN, {})).toBe('watch')
  })
})

it('what somebody took is theirs, and nobody else’s', async () => {
  await execute(null, `INSERT INTO matters (kind, subject, title) VALUES ('trouble', 'x', 'A full disk')`)
  const { id } = await one<{ id: number }>(null, `SELECT id FROM matters WHERE subject = 'x'`)
  const callum = actor('operator', { name: 'Callum' })
  await takeMatter(callum, id, 'Looking at it.')
  expect((await startPage(callum)).taken).toMatchObject([{ title: 'A full disk', note: 'Looking at it.' }])
  expect((await startPage(actor('operator', { name: 'Sunniva' }))).taken).toEqual([])
})
