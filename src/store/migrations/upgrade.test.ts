import { freshDatabase } from '../database.test-help'
import { execute, many } from '../db'
import { migrate } from '../migrate'
import { behindWalls } from '../walls'

freshDatabase()

/** As a server stood before areas lay in areas. */
beforeEach(async () => {
  await execute(null, 'DROP SCHEMA public, bugle_server CASCADE')
  await execute(null, 'CREATE SCHEMA public')
  await migrate('0016-lengths-by-choice')
  await execute(
    null,
    `INSERT INTO people (id, email, name, role) VALUES (1, 'p', 'Petra', 'viewer'), (2, 'i', 'Ines', 'administrator')`,
  )
  await execute(null, `INSERT INTO areas (id, title) VALUES (1, 'Sailing'), (2, 'Fares / refunds')`)
  await execute(
    null,
    `INSERT INTO jobs (id, slug, title, area_id, saved_by) VALUES (1, 'a', 'Tides', 1, 'x'), (2, 'b', 'Pay out', 2, 'x')`,
  )
  await execute(
    null,
    `INSERT INTO runs (job_id, job_version, area_id, kind, cause, state, priority) SELECT id, 1, area_id, 'command', 'person', 'ready', 2 FROM jobs`,
  )
})

describe('a server that was there before areas lay in areas', () => {
  it('is brought up to date; everybody may what they might, and sees what they saw', async () => {
    expect(await migrate()).toEqual([
      '0017-areas-in-areas',
      '0018-letters',
      '0019-organisations',
      '0020-second-factors',
      '0021-elsewhere',
      '0022-service-accounts',
      '0023-robots',
      '0024-queues',
      '0025-events',
      '0026-desks',
      '0027-kinds',
      '0028-allowances',
      '0029-traces',
      '0030-lines',
      '0031-views',
      '0032-reports',
      '0033-systems',
      '0034-output-looks',
      '0035-shift-log',
    ])
    expect(await migrate()).toEqual([])
    // It is one organisation now, and nobody notices; whoever administered it looks after the server.
    expect(await many(null, 'SELECT id, active FROM bugle_server.organisations')).toEqual([{ id: 1, active: true }])
    expect(await many(null, 'SELECT person_id AS person FROM bugle_server.administrators')).toEqual([{ person: 2 }])
    expect(await many(null, 'SELECT id, title, path, closed, parent_id AS "parentId" FROM areas ORDER BY id')).toEqual([
      { id: 1, title: 'Sailing', path: 'Sailing', closed: false, parentId: null },
      // What stands between the titles of a path stands in no title.
      { id: 2, title: 'Fares/refunds', path: 'Fares/refunds', closed: false, parentId: null },
    ])
    const rights = await many(
      null,
      'SELECT p.name, r.area_id AS area, r.height FROM people p, area_rights(p.id) r ORDER BY p.name, r.area_id',
    )
    expect(rights).toEqual([
      { name: 'Ines', area: 1, height: 4 },
      { name: 'Ines', area: 2, height: 4 },
      { name: 'Petra', area: 1, height: 1 },
      { name: 'Petra', area: 2, height: 1 },
    ])
    const seen = (): Promise<object[]> => behindWalls(1, () => many(null, 'SELECT job_id AS job FROM runs ORDER BY 1'))
    expect(await seen()).toEqual([{ job: 1 }, { job: 2 }])
    await execute(null, 'UPDATE areas SET closed = true WHERE id = 2')
    expect(await seen()).toEqual([{ job: 1 }])
  })

  it('is brought up to date by two processes at once', async () => {
    const done = await Promise.all([migrate(), migrate()])
    expect(done.map((names) => names.length).sort()).toEqual([0, 19])
  })
})
