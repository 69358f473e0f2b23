import { reportSchema, type ReportContent } from '@/core/reports/definition'
import { viewSchema } from '@/core/views/view'
import { COMMAND_LINE, type Actor } from '@/service/base/actor'
import { makeJob } from '@/service/fixtures.test-help'
import { addPool } from '@/service/fleet/fleet'
import { addPerson } from '@/service/people/people'
import { addReport, listReports, removeReport, type ReportRow } from '@/service/reports/reports'
import { addView } from '@/service/views/views'
import { addArea } from '@/service/work/areas'
import { actor, ADMIN, freshDatabase } from '@/store/database.test-help'
import { execute, one } from '@/store/db'
import { exportBundle } from './bundle-out'
import { importBundle } from './bundle-in'

freshDatabase()

let torvald: Actor
let moira: Actor
let sailing: number
let tillFiles: number
let viewId: number
let gone: number
beforeAll(async () => {
  const person = async (name: string): Promise<Actor> => {
    const email = `${name}@marram.example`
    const { id } = await addPerson(ADMIN, { email, name, role: 'designer', password: 'a long enough password' })
    return actor('designer', { id, name })
  }
  torvald = await person('Torvald')
  moira = await person('Moira')
  sailing = (await addArea(ADMIN, { title: 'Sailing' })).id
  tillFiles = await makeJob({}, 'Till files')
  gone = await makeJob({}, 'Gone')
  await addPool(ADMIN, { name: 'quay', title: 'Quay' })
  viewId = (await addView(torvald, viewSchema.parse({ list: 'runs', title: 'Tills', values: {}, shared: 'everyone' })))
    .id
})

const content = (change: object): ReportContent =>
  reportSchema.parse({ title: 'Month', kind: 'runs', period: { last: 'month' }, zone: 'Europe/London', ...change })
const bring = async (who: Actor, reports: unknown, more: object = {}): Promise<object[]> =>
  (await importBundle(who, { format: 'bugle-bundle/1', reports, ...more }, false)).lines.filter(
    ({ kind }) => kind === 'report',
  )
const called = async (who: Actor, slug: string): Promise<ReportRow | undefined> =>
  (await listReports(who)).find((row) => row.slug === slug)

it('what others read, or a job makes, goes out by its names and comes back the same', async () => {
  const filter = {
    job: [tillFiles, gone],
    area: [sailing],
    person: [torvald.id as number],
    cause: ['person'],
  }
  const readers = { people: [moira.id], areas: [sailing], roles: ['viewer'] }
  const { id } = await addReport(torvald, content({ filter, readers, mail: ['office@marram.example'], keepDays: 30 }))
  await addReport(torvald, content({ title: 'My own' }))
  await addReport(torvald, content({ title: 'Of a view', filter: { view: viewId }, readers: { roles: ['operator'] } }))
  await addReport(torvald, content({ title: 'Of the gone', filter: { job: [gone] }, readers: { roles: ['viewer'] } }))
  await execute(null, 'UPDATE jobs SET deleted_at = now() WHERE id = $1', [gone])
  const { reports = [] } = await exportBundle(torvald)
  const { slug: job } = await one<{ slug: string }>(null, 'SELECT slug FROM jobs WHERE id = $1', [tillFiles])
  expect(reports.map((each) => each.id)).toEqual(['month', 'of-a-view'])
  expect(reports[0]).toEqual({
    ...{ id: 'month', title: 'Month', kind: 'runs', period: { last: 'month' }, zone: 'Europe/London' },
    filter: { job: [job], area: ['Sailing'], person: ['torvald@marram.example'], cause: ['person'] },
    options: { details: false, currency: 'GBP', paper: 'A4' },
    readers: { people: ['moira@marram.example'], roles: ['viewer'], areas: ['Sailing'] },
    mail: ['office@marram.example'],
    keepDays: 30,
    owner: 'torvald@marram.example',
  })
  // Whoever reads none of them carries none; the server's own command line carries all.
  expect((await exportBundle(actor('viewer', { id: 9999 }))).reports?.map((each) => each.id)).toEqual(['month'])
  expect((await exportBundle(COMMAND_LINE)).reports).toHaveLength(2)
  const before = await called(torvald, 'month')
  // What is gone is out of it.
  expect(await bring(torvald, reports)).toEqual([
    { kind: 'report', id: 'month', what: 'changed' },
    { kind: 'report', id: 'of-a-view', what: 'same' },
  ])
  expect(await bring(torvald, reports)).toEqual(reports.map((each) => ({ kind: 'report', id: each.id, what: 'same' })))
  expect(await called(torvald, 'month')).toMatchObject({
    ...before,
    savedAt: expect.any(Date),
    filter: { ...filter, job: [tillFiles] },
    version: 2,
  })
  await removeReport(torvald, id)
})

it('a job of the same file may make one that is new; it is whose that brings it in, or whom the command line is told', async () => {
  const nightly = {
    ...{ id: 'nightly', kind: 'night log', period: { night: 'last' }, owner: 'moira@marram.example' },
    filter: { job: ['makes-it'] },
  }
  const file = (id: string): object => ({
    zone: 'Europe/Oslo',
    jobs: [{ id: 'makes-it', kind: 'report', with: { report: id }, pool: 'quay' }],
    pools: [{ id: 'quay', title: 'Quay' }],
  })
  expect(await bring(torvald, [nightly], file('nightly'))).toEqual([{ kind: 'report', id: 'nightly', what: 'added' }])
  expect(await called(torvald, 'nightly')).toMatchObject({ owner: 'Torvald', title: 'nightly', zone: 'Europe/Oslo' })
  const { id: jobId } = await one<{ id: number }>(null, `SELECT id FROM jobs WHERE slug = 'makes-it'`)
  expect((await called(torvald, 'nightly'))?.filter).toEqual({ job: [jobId] })
  // A view of the same file says which runs, though nobody else sees it yet.
  const late = { id: 'all-late', title: 'All late', list: 'runs', values: { cause: 'trigger' } }
  const moiras = { id: 'of-late', kind: 'runs', period: { last: 'week' }, filter: { view: 'all-late' } }
  expect(await bring(ADMIN, [moiras], { views: [late] })).toEqual([{ kind: 'report', id: 'of-late', what: 'added' }])
  // Somebody else's is not changed by a file.
  expect(await bring(moira, [nightly], file('nightly'))).toEqual([{ kind: 'report', id: 'nightly', what: 'same' }])
  const theirs = bring(moira, [{ ...nightly, title: 'Mine' }], file('nightly'))
  await expect(theirs).rejects.toMatchObject({ code: 'not-allowed' })
  await bring(COMMAND_LINE, [
    { ...nightly, id: 'second' },
    { ...nightly, id: 'third', owner: 'who@marram.example' },
  ])
  await execute(
    null,
    `UPDATE reports SET readers = '{"people": [], "roles": ["designer"], "areas": []}' WHERE slug IN ('second', 'third')`,
  )
  expect([(await called(moira, 'second'))?.owner, (await called(moira, 'third'))?.owner]).toEqual(['Moira', null])
  // All or nothing: a file that does not fit leaves nothing of what stood before its fault.
  await expect(bring(torvald, [{ ...nightly, id: 'fourth', filter: { view: 'gone' } }])).rejects.toMatchObject({
    errors: [{ path: 'reports[0].filter.view' }],
  })
  expect(await called(torvald, 'fourth')).toBeUndefined()
})

it.each([
  [{ filter: { agent: ['nowhere'] } }, 'reports[0].filter.agent'],
  [{ readers: { people: ['who@marram.example'] } }, 'reports[0].readers.people'],
  [{ kind: 'song' }, 'reports[0].kind'],
  [{ period: { last: 'century' } }, 'reports[0].period'],
  [{ zone: 'Mars' }, 'reports[0].zone'],
  [{ filter: { cause: ['rain'] } }, 'reports[0].filter.cause.0'],
  [{ colour: 'red' }, 'reports[0]'],
])('what does not fit is told at its place: %j', async (change, path) => {
  const report = { id: 'x', kind: 'runs', period: { last: 'week' }, ...change }
  await expect(bring(torvald, [report])).rejects.toMatchObject({
    errors: expect.arrayContaining([expect.objectContaining({ path: expect.stringContaining(path) as string })]) as [],
  })
})
