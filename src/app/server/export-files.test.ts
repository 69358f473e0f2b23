import { parse } from 'csv-parse/sync'
import readXlsxFile from 'read-excel-file/node'
import { addItems } from '@/service/queues/arrive'
import { addQueue } from '@/service/queues/queues'
import { addArea } from '@/service/work/areas'
import { ended, lease, makeAgent, makeJob, report, started } from '@/service/fixtures.test-help'
import { seenBy, type Actor } from '@/service/base/actor'
import { EXPORT_NAMES, exportSchema } from '@/service/exports/exports'
import { startRun, startSchema } from '@/service/runs/start'
import { actor, ADMIN, freshDatabase, OPERATOR, VIEWER } from '@/store/database.test-help'
import { execute, many, one } from '@/store/db'
import { exportFile } from './export-files'
import { columnName } from './workbook'

freshDatabase()

const fileOf = (who: Actor, asked: Record<string, string | number>): Promise<Response> =>
  seenBy(who, () =>
    exportFile(
      who,
      exportSchema.parse(Object.fromEntries(Object.entries(asked).map(([key, value]) => [key, String(value)]))),
    ),
  )
const csvRows = async (asked: Record<string, string | number>, who = VIEWER): Promise<string[][]> =>
  parse(await (await fileOf(who, asked)).text(), { record_delimiter: '\r\n' }) as string[][]

let jobId: number
let runId: number
beforeAll(async () => {
  jobId = await makeJob({}, 'Many, with "quotes"')
  const agentId = await makeAgent('kelda-till1')
  const { id } = await startRun(OPERATOR, startSchema.parse({ jobId }))
  const of = await lease(id, agentId)
  await report(agentId, of, 1, started)
  await report(agentId, of, 2, ended(0))
  runId = id
  await execute(
    null,
    `UPDATE runs SET started_at = '2026-10-25T00:30:00Z', ended_at = '2026-10-25T03:38:00Z', duration_ms = 11280500, reason = E'=cmd|danger\\nand a line' WHERE id = $1`,
    [id],
  )
  // More than two pages, all at one instant of their end, so that the order falls back on the number.
  await execute(
    null,
    `INSERT INTO runs (job_id, job_version, area_id, kind, state, cause, starter_name, attempts, max_attempts, priority, created_at, started_at, ended_at, duration_ms, reason, inputs, locks, slots)
     SELECT job_id, job_version, area_id, kind, 'succeeded', cause, starter_name, 1, max_attempts, priority, created_at, started_at, ended_at, 1000, 'Exit code 0.', inputs, locks, slots FROM runs, generate_series(1, 1203) WHERE id = $1`,
    [id],
  )
})

describe('a list as a file', () => {
  it('has every row once, page after page, in the order that was asked for, and says how many beforehand', async () => {
    const response = await fileOf(VIEWER, { list: 'runs', job: jobId, sort: 'ended', dir: 'asc', columns: 'number' })
    expect(response.headers.get('x-bugle-rows')).toBe('1204')
    expect(response.headers.get('content-disposition')).toBe('attachment; filename="bugle-runs.csv"')
    const [head, ...rows] = parse(await response.text()) as string[][]
    expect(head).toEqual(['Run'])
    const numbers = rows.map(([number]) => Number(number))
    expect(numbers).toEqual([...numbers].sort((a, b) => a - b))
    expect(new Set(numbers).size).toBe(1204)
  })

  it('is opened and read back as CSV: quotes, lines, no formula', async () => {
    const rows = await csvRows({ list: 'runs', text: `#${runId}`, columns: 'job,took,started,reason,choose' })
    expect(rows).toEqual([
      ['Job', 'Took (s)', 'Started', 'Why', 'Telling line'],
      ['Many, with "quotes"', '11280.5', '2026-10-25T00:30:00.000Z', "'=cmd|danger\nand a line", ''],
    ])
  })

  it('is JSON, an object a line', async () => {
    const text = await (await fileOf(VIEWER, { list: 'runs', text: `#${runId}`, format: 'jsonl' })).text()
    expect(
      text
        .trimEnd()
        .split('\n')
        .map((line) => JSON.parse(line) as unknown),
    ).toEqual([
      expect.objectContaining({ number: runId, tookSeconds: 11280.5, ended: '2026-10-25T03:38:00.000Z', exit: 0 }),
    ])
  })

  it('is a workbook that another program opens: dates are dates of the zone, lengths are lengths', async () => {
    // Between the two the clock in Oslo goes back: 02:30 comes twice.
    const response = await fileOf(VIEWER, {
      list: 'runs',
      text: `#${runId}`,
      format: 'xlsx',
      columns: 'number,job,started,ended,took,reason',
      zone: 'Europe/Oslo',
    })
    const [sheet] = await readXlsxFile(Buffer.from(await response.arrayBuffer()))
    expect(sheet?.data).toEqual([
      ['Run', 'Job', 'Started (Europe/Oslo)', 'Ended (Europe/Oslo)', 'Took', 'Why', 'Telling line'],
      [
        runId,
        'Many, with "quotes"',
        new Date('2026-10-25T02:30:00Z'),
        new Date('2026-10-25T04:38:00Z'),
        // A length is a part of a day, shown as hours: this reader counts days from where a spreadsheet does.
        new Date('1899-12-30T03:08:00.500Z'),
        '=cmd|danger\nand a line',
        null,
      ],
    ])
  })

  it('has all rows as a workbook, too', async () => {
    const response = await fileOf(VIEWER, { list: 'runs', job: jobId, format: 'xlsx', columns: 'number' })
    const [sheet] = await readXlsxFile(Buffer.from(await response.arrayBuffer()))
    expect(new Set(sheet?.data.slice(1).map(([number]) => number)).size).toBe(1204)
  })

  it('names columns as spreadsheets do, and holds what XML would read otherwise', async () => {
    expect([0, 25, 26, 51, 52, 701, 702].map(columnName)).toEqual(['A', 'Z', 'AA', 'AZ', 'BA', 'ZZ', 'AAA'])
    const odd = 'a<b>&amp;"c"\r\nd  \u0007 ☕'
    await execute(null, 'UPDATE runs SET reason = $2 WHERE id = $1', [runId, odd])
    const response = await fileOf(VIEWER, { list: 'runs', text: `#${runId}`, format: 'xlsx', columns: 'reason' })
    const [sheet] = await readXlsxFile(Buffer.from(await response.arrayBuffer()), { trim: false })
    expect(sheet?.data[1]?.[0]).toBe(odd.replace('\u0007', '\ufffd'))
  })

  it('has of items what their schema names in columns of their own', async () => {
    const { id: areaId } = await addArea(ADMIN, { title: 'Quay' })
    const { id } = await addQueue(ADMIN, {
      title: 'Lost keys',
      notes: '',
      areaId,
      tries: 3,
      delaySeconds: 60,
      keys: 'open',
      schema: { type: 'object', properties: { ship: { type: 'string' }, deck: { type: 'integer' } } },
      keepDays: 90,
      mostRejected: 10,
      active: true,
    })
    const long = 'x'.repeat(5000)
    await addItems(OPERATOR, id, { items: [{ key: 'K-1', data: { ship: long, deck: 7, more: [1] } }] } as never)
    const [head = [], row = []] = await csvRows({ list: 'items', of: id })
    const at = (title: string): string | undefined => row[head.indexOf(title)]
    expect([at('Key'), at('ship'), at('deck'), at('Data')]).toEqual([
      'K-1',
      long,
      '7',
      JSON.stringify({ deck: 7, more: [1], ship: long }),
    ])
    await expect(fileOf(VIEWER, { list: 'items' })).rejects.toMatchObject({ code: 'invalid-input' })
  })

  it.each(EXPORT_NAMES.filter((list) => list !== 'items'))('%s can be read, and none of it by nobody', async (list) => {
    const [head = []] = await csvRows({ list }, ADMIN)
    expect(head.length).toBeGreaterThan(4)
    expect(head.every((title) => title !== '')).toBe(true)
    await expect(fileOf(actor('none'), { list })).rejects.toMatchObject({ code: 'not-allowed' })
  })

  it('refuses before it begins: what may not be seen, what the list does not know, columns of another list', async () => {
    await expect(fileOf(OPERATOR, { list: 'audit' })).rejects.toMatchObject({ code: 'not-allowed' })
    await expect(fileOf(VIEWER, { list: 'runs', colour: 'red' })).rejects.toMatchObject({
      code: 'invalid-input',
      errors: [{ path: 'colour' }],
    })
    await expect(fileOf(VIEWER, { list: 'runs', columns: 'colour' })).rejects.toMatchObject({ code: 'invalid-input' })
    await expect(fileOf(VIEWER, { list: 'runs', format: 'xlsx', zone: 'Nowhere' })).rejects.toMatchObject({
      code: 'invalid-input',
    })
  })

  it.each(['csv', 'xlsx'])('as %s asks for no more when its reader goes away', async (format) => {
    const response = await fileOf(VIEWER, { list: 'runs', job: jobId, format })
    const reader = (response.body as ReadableStream<Uint8Array>).getReader()
    await reader.read()
    await reader.cancel()
    // Nothing of it is left in the database: no statement, no transaction.
    const left = await many(
      null,
      `SELECT pid FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid() AND state <> 'idle'`,
    )
    expect(left).toEqual([])
    expect(await one(null, 'SELECT 1 AS one')).toEqual({ one: 1 })
  })
})
