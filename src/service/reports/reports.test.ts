import { execFileSync } from 'node:child_process'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { parse } from 'csv-parse/sync'
import { reportSchema, type ReportContent } from '@/core/reports/definition'
import type { ReportDocument } from '@/core/reports/document'
import { written, writingOf } from '@/core/reports/write'
import { actorOfPerson } from '@/service/people/sessions'
import { seenBy, type Actor } from '@/service/base/actor'
import { changePerson, insertPerson } from '@/service/people/people'
import { addArea, saveArea } from '@/service/work/areas'
import { addJob } from '@/service/work/work'
import { addView, removeView, saveView } from '@/service/views/views'
import { countAllRuns, listRuns, runFilterSchema } from '@/service/runs/run-list'
import { jobDefinitionSchema } from '@/core/work/job'
import { ADMIN, freshDatabase } from '@/store/database.test-help'
import { execute, many, one, transaction } from '@/store/db'
import { makeAgent, lease } from '@/service/fixtures.test-help'
import { startRun, startSchema } from '@/service/runs/start'
import { answerReportRequest } from './asked'
import { reportsAreDue } from './due'
import { makeNext, takeResult } from './making'
import { addReport, listReports, oneReport, removeReport, saveReport } from './reports'
import {
  listResults,
  makeReport,
  oneResult,
  removeResult,
  resultCsv,
  resultPdf,
  resultState,
  stopResult,
} from './results'
import { saveAreaWorth, saveJobWorth } from './worths'

freshDatabase()

let ines: Actor
let sunniva: Actor
let viewer: Actor
let open: number
let closed: number
const jobs: Record<string, number> = {}

async function person(name: string, role: 'administrator' | 'designer' | 'operator' | 'viewer'): Promise<Actor> {
  const { id } = await transaction((tx) =>
    insertPerson(tx, ADMIN, { email: `${name}@marram.example`, name, role, passwordHash: null, isDemo: true }),
  )
  return (await actorOfPerson(id, 'here')) as Actor
}

const content = (change: Partial<Record<keyof ReportContent, unknown>> = {}): ReportContent =>
  reportSchema.parse({
    title: 'Runs of October',
    kind: 'runs',
    period: { from: '2026-10-20', to: '2026-10-27' },
    zone: 'Europe/London',
    ...change,
  })

async function made(actor: Actor, reportId: number): Promise<{ id: number; document: ReportDocument }> {
  const { id } = await makeReport(actor, reportId)
  expect(await makeNext()).toEqual({ id, isMade: true })
  const { document } = await oneResult(actor, id)
  return { id, document: document as ReportDocument }
}
const figure = (document: ReportDocument, label: string): unknown =>
  document.sections.flatMap(({ figures }) => figures).find((one_) => one_.label === label)?.value

function pdfText(bytes: Buffer): string {
  const dir = mkdtempSync(join(tmpdir(), 'bugle-pdf-'))
  try {
    writeFileSync(join(dir, 'r.pdf'), bytes)
    return execFileSync('pdftotext', ['-layout', join(dir, 'r.pdf'), '-'], { encoding: 'utf8' }).normalize('NFKC')
  } finally {
    rmSync(dir, { recursive: true, force: true })
  }
}
const inOneLine = (text: string): string => text.normalize('NFKC').replace(/\s+/g, ' ').trim()

beforeAll(async () => {
  ines = await person('ines', 'administrator')
  sunniva = await person('sunniva', 'operator')
  viewer = await person('viewer', 'viewer')
  open = (await addArea(ADMIN, { title: 'Quay' })).id
  closed = (await addArea(ADMIN, { title: 'Payroll' })).id
  const definition = jobDefinitionSchema.parse({
    action: { kind: 'command', command: 'true' },
    target: { labels: { os: 'linux' } },
  })
  for (const [title, areaId] of [
    ['Till files', open],
    ['Łódź letters — №1', open],
    ['Wages', closed],
  ] as const)
    jobs[title] = (await addJob(ADMIN, { title, notes: '', areaId, active: true, definition } as never)).id
  // Ends in two states, over the night on which the clock goes back, one every twenty minutes.
  await execute(
    null,
    `INSERT INTO runs (job_id, job_version, area_id, kind, state, cause, starter_name, attempts, priority, created_at, ready_at, started_at, ended_at, duration_ms, reason)
     SELECT j.id, 1, j.area_id, 'command', CASE WHEN n % 7 = 0 THEN 'failed' ELSE 'succeeded' END, 'trigger', 'night', 1, 2, t, t, t, t + interval '90 s', 90000, 'Exit code ' || (n % 7 = 0)::int || '.'
       FROM jobs j, generate_series(0, 599) AS n, LATERAL (SELECT '2026-10-19T20:00:00Z'::timestamptz + n * interval '20 min' AS t) x`,
  )
  const area = await one<{ version: number }>(null, 'SELECT version FROM areas WHERE id = $1', [closed])
  await saveArea(ADMIN, closed, {
    title: 'Payroll',
    notes: '',
    parentId: null,
    closed: true,
    members: [],
    version: area.version,
  } as never)
  // Whoever was read before the area was closed is read once more.
  sunniva = (await actorOfPerson(sunniva.id as number, 'here')) as Actor
  viewer = (await actorOfPerson(viewer.id as number, 'here')) as Actor
})

describe('a report', () => {
  it('is made, kept, read as page, table and PDF; every figure leads to exactly the runs that it counts', async () => {
    const { id } = await addReport(ines, content())
    const { id: resultId, document } = await made(ines, id)
    expect(document.period.words).toBe('20 – 27 Oct 2026')
    let followed = 0
    const follow = async (href: string | null | undefined, value: unknown): Promise<void> => {
      if (!href?.startsWith('/runs?') || Number(value) > 190) return
      const { state, from, to, job } = Object.fromEntries(new URLSearchParams(href.slice(6)))
      const { rows } = await listRuns(ines, runFilterSchema.parse({ state, from, to, job, limit: 200 }))
      expect([href, rows.length]).toEqual([href, value])
      followed++
    }
    for (const section of document.sections) {
      for (const { href, value } of section.figures) await follow(href, value)
      for (const { rows } of section.tables)
        for (const { cells, hrefs = [] } of rows) for (const [i, href] of hrefs.entries()) await follow(href, cells[i])
    }
    expect(followed).toBeGreaterThan(20)
    const text = inOneLine(pdfText((await resultPdf(ines, resultId)).bytes))
    expect(text).toContain('Runs of October')
    expect(text).toContain('20 – 27 Oct 2026 · Europe/London')
    for (const section of document.sections)
      for (const { label, unit, value } of section.figures)
        expect(text).toContain(inOneLine(`${label} ${written(unit, value, writingOf(document))}`))
    for (const { rows, columns } of document.sections.flatMap(({ tables }) => tables))
      for (const { cells } of rows)
        for (const [i, cell] of cells.entries()) {
          if (typeof cell === 'string') continue
          expect(text).toContain(inOneLine(written(columns[i]?.unit ?? 'text', cell, writingOf(document))))
        }
    // What our fonts do not draw is told from what they do.
    expect(text).toContain('Łódź letters — ?1')
    const csv = parse((await resultCsv(ines, resultId, { table: 0 })).text) as string[][]
    expect(csv[0]?.slice(0, 3)).toEqual(['Day', 'Runs', 'Succeeded'])
    expect(csv).toHaveLength(9)
    const byDay = document.sections.flatMap(({ tables }) => tables)[0]
    expect(csv[6]?.slice(0, 3)).toEqual(byDay?.rows[5]?.cells.slice(0, 3).map(String))
    // The day on which the clock goes back has 25 hours: 75 runs of each job.
    expect(byDay?.rows[5]?.cells.slice(0, 2)).toEqual(['2026-10-25', 225])
    await expect(resultCsv(ines, resultId, { table: 99 })).rejects.toMatchObject({ code: 'invalid-input' })
  })

  it('is made with the rights of its owner, and says so', async () => {
    const { id } = await addReport(sunniva, content({ title: 'Of Sunniva' }))
    const { document } = await made(sunniva, id)
    expect(document.rightsOf).toBe('sunniva')
    expect(figure(document, 'Runs')).toBe(
      figure((await made(ines, (await addReport(ines, content({ filter: { area: [open] } }))).id)).document, 'Runs'),
    )
    expect(JSON.stringify(document)).not.toContain('Wages')
  })

  it('is about the runs of a view as it is when it is made, of machines and kinds; every figure leads to its rows', async () => {
    const agentId = await makeAgent('of-a-view')
    await execute(null, 'UPDATE runs SET agent_id = $1 WHERE job_id = $2 AND (id / 3) % 3 = 0', [
      agentId,
      jobs['Till files'],
    ])
    const values = (job: number | undefined): Record<string, string> => ({
      job: String(job),
      state: 'failed',
      sort: 'ended',
    })
    const view = { list: 'runs', of: null, title: 'Tills', shared: 'everyone', areaId: null } as const
    const { id: viewId } = await addView(ines, { ...view, values: values(jobs['Till files']) })
    const { id } = await addReport(ines, content({ title: 'By a view', filter: { view: viewId } }))
    const counted = async (filter: Record<string, unknown>): Promise<number> => {
      const stretch = { from: '2026-10-19T23:00:00Z', to: '2026-10-28T00:00:00Z' }
      return countAllRuns(ines, runFilterSchema.parse({ ...filter, ...stretch }))
    }
    const { document, id: resultId } = await made(ines, id)
    const tills = await counted({ job: String(jobs['Till files']) })
    expect([tills > 500, figure(document, 'Runs')]).toEqual([true, tills])
    expect(document.about).toBe(
      'Runs as the view Tills names them. A report looks at all of them whatever their state.',
    )
    expect(inOneLine(pdfText((await resultPdf(ines, resultId)).bytes))).toContain('whatever their state.')
    const href = document.sections.flatMap(({ figures }) => figures).find(({ label }) => label === 'Runs')?.href ?? ''
    expect(await counted(Object.fromEntries(new URLSearchParams(href.slice(6))))).toBe(tills)
    // Whoever changes the view changes what the next one is about.
    await saveView(ines, viewId, { ...view, values: { agent: String(agentId), kind: 'command' }, version: 1 })
    const onIt = await counted({ agent: String(agentId) })
    const next = (await made(ines, id)).document
    expect([onIt > 100 && onIt < tills, figure(next, 'Runs')]).toEqual([true, onIt])
    await expect(addReport(ines, content({ filter: { view: 999_999 } }))).rejects.toMatchObject({
      errors: [{ path: 'filter.view' }],
    })
    expect(reportSchema.safeParse({ ...content(), filter: { view: viewId, job: [1] } }).success).toBe(false)
    await removeView(ines, viewId)
    const { id: third } = await makeReport(ines, id)
    expect(await makeNext()).toEqual({ id: third, isMade: false })
    expect((await oneResult(ines, third)).reason).toContain('The view that says which runs it is about is gone')
    await execute(null, 'UPDATE runs SET agent_id = NULL WHERE agent_id = $1', [agentId])
  })

  it('is read by whom it names and nobody else, changed and removed by its owner', async () => {
    const { id } = await addReport(
      ines,
      content({ title: 'For the office', readers: { people: [viewer.id], roles: [], areas: [] } }),
    )
    const { id: resultId } = await made(ines, id)
    const as = <T>(who: Actor, work: () => Promise<T>): Promise<T> => seenBy(who, work)
    expect((await as(viewer, () => oneResult(viewer, resultId))).document?.title).toBe('For the office')
    expect((await as(viewer, () => listReports(viewer))).map(({ title, mayChange }) => [title, mayChange])).toEqual([
      ['For the office', false],
    ])
    for (const work of [
      () => oneReport(sunniva, id),
      () => listResults(sunniva, id),
      () => oneResult(sunniva, resultId),
      () => resultState(sunniva, resultId),
      () => resultPdf(sunniva, resultId),
      () => makeReport(sunniva, id),
      () => stopResult(sunniva, resultId),
      () => removeResult(sunniva, resultId),
    ])
      await expect((work as () => Promise<unknown>)()).rejects.toMatchObject({ code: 'not-found' })
    await expect(saveReport(viewer, id, { ...content(), version: 1 })).rejects.toMatchObject({ code: 'not-allowed' })
    await expect(removeReport(viewer, id)).rejects.toMatchObject({ code: 'not-allowed' })
    await expect(as(sunniva, () => oneResult(sunniva, resultId))).rejects.toMatchObject({ code: 'not-found' })
    const byRole = await addReport(
      sunniva,
      content({ title: 'By role', readers: { people: [], roles: ['viewer'], areas: [] } }),
    )
    const byArea = await addReport(
      sunniva,
      content({ title: 'By area', readers: { people: [], roles: [], areas: [open] } }),
    )
    await stopResult(viewer, (await makeReport(viewer, byArea.id)).id)
    const titles = async (who: Actor): Promise<string[]> =>
      (await as(who, () => listReports(who))).map(({ title }) => title)
    expect(await titles(viewer)).toEqual(['By area', 'By role', 'For the office'])
    expect(await titles(ines)).not.toContain('By role')
    // Roles that do not fit, and areas that may not be seen, let nobody read.
    await saveReport(sunniva, byRole.id, {
      ...content({ title: 'By role', readers: { people: [], roles: ['designer'], areas: [] } }),
      version: 1,
    })
    await removeReport(sunniva, byArea.id)
    expect(await titles(viewer)).toEqual(['For the office'])
    await removeReport(ines, id)
    expect(await many(null, 'SELECT id FROM report_results WHERE id = $1', [resultId])).toEqual([])
  })

  it('shows nothing to others by whoever may not operate, and nothing that its owner may not see', async () => {
    await expect(
      addReport(viewer, content({ readers: { people: [ines.id], roles: [], areas: [] } })),
    ).rejects.toMatchObject({ code: 'not-allowed' })
    await expect(addReport(viewer, content({ mail: ['office@marram.example'] }))).rejects.toMatchObject({
      code: 'not-allowed',
    })
    await expect(addReport(sunniva, content({ filter: { job: [jobs.Wages] } }))).rejects.toMatchObject({
      code: 'not-found',
    })
    await expect(
      addReport(sunniva, content({ readers: { people: [999], roles: [], areas: [] } })),
    ).rejects.toMatchObject({ code: 'invalid-input' })
    // To whoever sees everything what is not there is told as such, to others as what they may not see.
    await expect(addReport(ines, content({ filter: { job: [jobs.Wages, 999_999] } }))).rejects.toMatchObject({
      errors: [{ path: 'filter.job[1]' }],
    })
    await expect(addReport(sunniva, content({ filter: { job: [999_999] } }))).rejects.toMatchObject({
      code: 'not-found',
    })
    expect((await addReport(viewer, content({ title: 'My own' }))).id).toBeGreaterThan(0)
  })

  it('is changed only by whoever saw what stands', async () => {
    const { id } = await addReport(ines, content())
    await saveReport(ines, id, { ...content({ title: 'First' }), version: 1 })
    await expect(saveReport(ines, id, { ...content({ title: 'Second' }), version: 1 })).rejects.toMatchObject({
      code: 'conflict',
    })
    expect((await oneReport(ines, id)).title).toBe('First')
  })

  it('of somebody who is gone is not made, until an administrator takes it over', async () => {
    const gone = await person('gone', 'operator')
    const { id } = await addReport(gone, content({ title: 'Left behind' }))
    await execute(null, 'UPDATE reports SET person_id = NULL WHERE id = $1', [id])
    const { id: resultId } = await makeReport(ines, id)
    expect(await makeNext()).toEqual({ id: resultId, isMade: false })
    expect(await resultState(ines, resultId)).toMatchObject({
      state: 'failed',
      reason: expect.stringContaining('Its owner is gone'),
    })
    await saveReport(ines, id, { ...content({ title: 'Left behind' }), version: 1 })
    expect((await made(ines, id)).document.rightsOf).toBe('ines')
    // Whoever may not sign in any more owns nothing that is made with their rights.
    const left = await person('left', 'operator')
    const { id: second } = await addReport(left, content({ title: 'Left, too' }))
    await expect(oneReport(ines, second)).rejects.toMatchObject({ code: 'not-found' })
    await changePerson(ADMIN, left.id as number, { active: false })
    expect(await oneReport(ines, second)).toMatchObject({ owner: null, mayChange: true })
    await saveReport(ines, second, { ...content({ title: 'Left, too' }), version: 1 })
    expect((await made(ines, second)).document.rightsOf).toBe('ines')
  })
})

describe('making one', () => {
  it('is stopped by a person: nothing of it is left, however far it was', async () => {
    const { id } = await addReport(ines, content({ title: 'Stopped' }))
    const { id: waiting } = await makeReport(ines, id)
    await stopResult(ines, waiting)
    expect(await makeNext()).toBeNull()
    const { id: going } = await makeReport(ines, id)
    const taken = await takeResult()
    expect(taken?.id).toBe(going)
    await stopResult(ines, going)
    expect(await resultState(ines, going)).toMatchObject({
      state: 'stopped',
      reason: 'Stopped by ines.',
      hasPdf: false,
    })
    await expect(stopResult(ines, going)).rejects.toMatchObject({ code: 'not-now' })
    // A name is nobody's alone.
    const { id: shown } = await addReport(
      ines,
      content({ title: 'Shown', readers: { people: [], roles: ['viewer'], areas: [] } }),
    )
    const { id: asked } = await makeReport(ines, shown)
    await expect(stopResult({ ...viewer, name: 'ines' }, asked)).rejects.toMatchObject({ code: 'not-allowed' })
    await stopResult(ines, asked)
  })

  it('is taken up once more when its maker has ended without a word, and given up after that', async () => {
    const { id } = await addReport(ines, content({ title: 'Killed' }))
    const { id: resultId } = await makeReport(ines, id)
    expect((await takeResult())?.tries).toBe(1)
    expect(await makeNext()).toBeNull()
    const silent = (): Promise<number> =>
      execute(null, `UPDATE report_results SET heard_at = now() - interval '2 min' WHERE id = $1`, [resultId])
    await silent()
    expect(await reportsAreDue()).toBe(true)
    expect(await makeNext()).toEqual({ id: resultId, isMade: true })
    const { id: bad } = await makeReport(ines, id)
    for (let i = 0; i < 2; i++) {
      await takeResult()
      await execute(null, `UPDATE report_results SET heard_at = now() - interval '2 min' WHERE id = $1`, [bad])
    }
    expect(await makeNext()).toBeNull()
    expect(await resultState(ines, bad)).toMatchObject({
      state: 'failed',
      reason: expect.stringContaining('begun twice'),
    })
  })

  it('is asked for no more than three times at once', async () => {
    const { id } = await addReport(ines, content({ title: 'Eager' }))
    const asked = [await makeReport(ines, id), await makeReport(ines, id), await makeReport(ines, id)]
    await expect(makeReport(ines, id)).rejects.toMatchObject({ code: 'too-many' })
    for (const one_ of asked) await stopResult(ines, one_.id)
  })

  it.each(['failures', 'deadlines', 'load', 'queues', 'schedules'] as const)(
    '%s comes to an end, in print too',
    async (kind) => {
      const { id } = await addReport(ines, content({ kind, title: `All ${kind}` }))
      const { id: resultId, document } = await made(ines, id)
      expect(document.sections.length).toBeGreaterThan(1)
      const text = inOneLine(pdfText((await resultPdf(ines, resultId)).bytes))
      for (const { label, unit, value } of document.sections.flatMap(({ figures }) => figures))
        expect(text).toContain(inOneLine(`${label} ${written(unit, value, writingOf(document))}`))
    },
  )
})

describe('a job that makes a report', () => {
  it('asks for it once for each try, is told how far it is, and stops what it asked for; nobody else is answered', async () => {
    const { id } = await addReport(ines, content({ title: 'By a job' }))
    const { slug } = await oneReport(ines, id)
    const agentId = await makeAgent('kelda-lab')
    const job = async (report: string): Promise<number> =>
      (
        await addJob(ADMIN, {
          title: `Makes ${report}`,
          notes: '',
          areaId: open,
          active: true,
          definition: jobDefinitionSchema.parse({ action: { kind: 'report', report }, target: { agent: 'kelda-lab' } }),
        })
      ).id
    await expect(job('no-such')).rejects.toMatchObject({ errors: [{ path: 'definition.action.report' }] })
    const { id: runId } = await startRun(ADMIN, startSchema.parse({ jobId: await job(slug) }))
    const { attempt, token } = await lease(runId, agentId)
    const ask = (what: object, request = 'report-1-1'): ReturnType<typeof answerReportRequest> =>
      answerReportRequest(agentId, { attempt, token, request, ask: what })
    const first = await ask({ do: 'report', report: slug })
    expect(await ask({ do: 'report', report: slug })).toEqual(first)
    expect(await ask({ do: 'report', report: 'runs-of-october' })).toMatchObject({ ok: false })
    const { result } = (first as { answer: { result: number } }).answer
    expect(await resultState(ines, result)).toMatchObject({ state: 'waiting', askedBy: `Makes ${slug}` })
    expect(await makeNext()).toEqual({ id: result, isMade: true })
    expect(await ask({ do: 'report-state', result })).toMatchObject({ ok: true, answer: { state: 'made' } })
    // Of another report it is told nothing, and under another token nothing at all.
    const other = (await makeReport(ines, (await addReport(ines, content({ title: 'Other' }))).id)).id
    expect(await ask({ do: 'report-state', result: other })).toMatchObject({ ok: false })
    await stopResult(ines, other)
    expect(
      await answerReportRequest(agentId, {
        attempt,
        token: token + 1,
        request: 'report-1-2',
        ask: { do: 'report', report: slug },
      }),
    ).toMatchObject({ ok: false })
    const second = (await ask({ do: 'report', report: slug }, 'report-1-3')) as { answer: { result: number } }
    await ask({ do: 'report-stop', result: second.answer.result }, 'report-1-4')
    expect(await resultState(ines, second.answer.result)).toMatchObject({ state: 'stopped' })
  })
})

describe('worth', () => {
  it('goes by what was said of jobs and areas, for those who may design; the sum is that of the rows', async () => {
    await saveJobWorth(ines, jobs['Till files'] as number, {
      terms: [{ since: null, minutes: 6, rate: null, runCost: 0.1 }],
      made: { hours: 10, rate: 40, on: '2026-10-21' },
    })
    await saveAreaWorth(ines, open, { terms: [{ since: null, minutes: null, rate: 30, runCost: null }] })
    await expect(saveJobWorth(sunniva, jobs['Till files'] as number, { terms: [], made: null })).rejects.toMatchObject({
      code: 'not-allowed',
    })
    const { id } = await addReport(ines, content({ kind: 'worth', title: 'Worth', options: { currency: 'NOK' } }))
    const { document, id: resultId } = await made(ines, id)
    const { n } = await one<{ n: number }>(
      null,
      `SELECT count(*)::int AS n FROM runs WHERE job_id = $1 AND state = 'succeeded' AND created_at >= '2026-10-19T23:00:00Z' AND created_at < '2026-10-28T00:00:00Z'`,
      [jobs['Till files']],
    )
    expect(figure(document, 'Runs that succeeded')).toBe(n)
    expect(figure(document, 'Worth')).toBeCloseTo(n * (6 / 60) * 30 - n * 0.1 - 400, 6)
    expect(inOneLine(pdfText((await resultPdf(ines, resultId)).bytes))).toContain('NOK')
    expect(document.sections.at(-1)?.notes.join(' ')).toContain('have no minutes by hand')
  })
})
