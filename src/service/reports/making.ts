import type { Section, ReportDocument } from '@/core/reports/document'
import type { ReportContent, ReportFilter } from '@/core/reports/definition'
import { targetWords } from '@/core/dispatch/target'
import { deadlines } from '@/core/reports/deadlines'
import { failures } from '@/core/reports/failures'
import type { Frame, RunTaker } from '@/core/reports/facts'
import { load, LOAD_BEFORE_MS } from '@/core/reports/load'
import { nightLogSections } from '@/core/reports/night-log'
import { ofView } from '@/core/reports/of-view'
import { periodBefore, periodOf } from '@/core/reports/period'
import { queues } from '@/core/reports/queues'
import { runsByDay } from '@/core/reports/runs-by-day'
import { schedules } from '@/core/reports/schedules'
import { worth } from '@/core/reports/worth'
import { zoneOf, type Zone } from '@/core/timing/zone'
import { seenBy, type Actor } from '@/service/base/actor'
import { Problem } from '@/service/base/problem'
import { listPools } from '@/service/fleet/fleet'
import { shiftLog } from '@/service/log/shift-log'
import { actorOfPerson } from '@/service/people/sessions'
import { listTriggers, triggerFilterSchema } from '@/service/timing/trigger-list'
import { viewIfSeen } from '@/service/views/views'
import { execute, maybeOne, many } from '@/store/db'
import { notify } from '@/store/listen'
import { isOutage } from '@/store/outage'
import { beyondWalls } from '@/store/walls'
import { SILENCE_SECONDS } from './due'
import { countFacts, itemFacts, runFacts } from './material'
import { pdfOf } from './pdf'
import { worthBook } from './worths'

/** Begun this often it is given up: it would end its maker for ever. */
const MOST_TRIES = 2
const MOST_PDF_BYTES = 40 * 1024 * 1024
const SAY_MS = 500
/** With the least priority on a busy machine a PDF of hundreds of pages takes minutes. */
const PDF_SECONDS = 600

/** Somebody stopped it, or it is another's by now. */
class Over extends Error {}
/** What a person can act on. */
class Fault extends Error {}

/** A result that this process makes. */
interface Taken {
  readonly id: number
  readonly reportId: number
  readonly tries: number
  readonly askedAt: string
}

/** Takes the oldest that waits, or whose maker has not been heard of; null: there is none. */
export async function takeResult(): Promise<Taken | null> {
  await execute(
    null,
    `UPDATE report_results SET state = 'failed', ended_at = now(), reason = 'It was begun twice, and both times whoever made it ended without a word.'
      WHERE state = 'making' AND heard_at < now() - make_interval(secs => $1) AND tries >= $2`,
    [SILENCE_SECONDS, MOST_TRIES],
  )
  const [taken] = await many<Taken>(
    null,
    `UPDATE report_results SET state = 'making', tries = tries + 1, heard_at = now(), begun_at = now(), step = 'begins', share = 0
      WHERE id = (SELECT id FROM report_results WHERE state = 'waiting' OR (state = 'making' AND heard_at < now() - make_interval(secs => $1))
                   ORDER BY id LIMIT 1 FOR UPDATE SKIP LOCKED)
      RETURNING id, report_id AS "reportId", tries, asked_at AS "askedAt"`,
    [SILENCE_SECONDS],
  )
  return taken ?? null
}

/** `silentSeconds`: so long nothing may be heard beside what is usual. */
type Say = (step: string, share: number, silentSeconds?: number) => Promise<void>

/** How far it is; throws `Over` once it is not this maker's any more. */
function sayer({ id, tries }: Taken): Say {
  let saidMs = 0
  let lastStep = ''
  return async (step, share, silentSeconds = 0) => {
    if (step === lastStep && Date.now() - saidMs < SAY_MS) return
    saidMs = Date.now()
    lastStep = step
    // What is read stands behind the owner's walls; how far it is does not.
    const said = await beyondWalls(() =>
      execute(
        null,
        `UPDATE report_results SET step = $3, share = $4, heard_at = now() + make_interval(secs => $5) WHERE id = $1 AND tries = $2 AND state = 'making'`,
        [id, tries, step, share, silentSeconds],
      ),
    )
    if (said === 0) throw new Over()
    await beyondWalls(() => notify(null, { reports: true }))
  }
}

/** Makes one that waits, if there is one. Returns the result that was made; null: there was nothing to do, `failed` tells what was not made. */
export async function makeNext(): Promise<{ readonly id: number; readonly isMade: boolean } | null> {
  const taken = await takeResult()
  if (!taken) return null
  const say = sayer(taken)
  try {
    const report = await maybeOne<ReportContent & { personId: number | null; owner: string | null }>(
      null,
      `SELECT d.title, d.notes, d.kind, d.period, d.zone, d.filter, d.options, d.readers, d.mail, d.keep_days AS "keepDays", d.person_id AS "personId", p.name AS owner
         FROM reports d LEFT JOIN people p ON p.id = d.person_id WHERE d.id = $1`,
      [taken.reportId],
    )
    if (!report) return null
    const owner = report.personId === null ? undefined : await actorOfPerson(report.personId, '')
    if (!owner)
      throw new Fault(
        'Its owner is gone, and it is made with their rights. An administrator takes it over by saving it.',
      )
    const document = await seenBy(owner, () => documentOf(report, owner, new Date(taken.askedAt).getTime(), say))
    // Meanwhile this thread does nothing else, not even say so.
    await say('writes the PDF', 0.9, PDF_SECONDS)
    const { bytes, pages } = await pdfOf(document, report.options.paper)
    if (bytes.byteLength > MOST_PDF_BYTES)
      throw new Fault('Its PDF would be larger than 40 MiB. Ask for a shorter period, or for no details.')
    const kept = await execute(
      null,
      `UPDATE report_results SET state = 'made', ended_at = now(), step = '', share = 1, document = $3, pdf = $4, pages = $5, period = $6, title = $7,
              mailed = $8, mail_due = CASE WHEN $8::jsonb = '[]' THEN NULL ELSE now() END
        WHERE id = $1 AND tries = $2 AND state = 'making'`,
      [
        taken.id,
        taken.tries,
        JSON.stringify(document),
        bytes,
        pages,
        document.period.words,
        document.title,
        JSON.stringify(report.mail.map((to) => ({ to, at: null, fault: null }))),
      ],
    )
    await notify(null, { reports: true })
    return { id: taken.id, isMade: kept > 0 }
  } catch (error) {
    if (error instanceof Over) return { id: taken.id, isMade: false }
    // It is as if its maker had ended: once the database is back it is begun anew.
    if (isOutage(error)) throw error
    const why = error instanceof Problem ? error.detail : error instanceof Fault ? error.message : null
    await failed(taken, why ?? 'It could not be made; the server’s log says more.')
    if (why === null) throw error
    return { id: taken.id, isMade: false }
  }
}

async function failed({ id, tries }: Taken, reason: string): Promise<void> {
  await execute(
    null,
    `UPDATE report_results SET state = 'failed', ended_at = now(), step = '', reason = $3 WHERE id = $1 AND tries = $2 AND state = 'making'`,
    [id, tries, reason],
  )
  await notify(null, { reports: true })
}

/** All that a report says. @param nowMs when it was asked for: what is over by then counts */
async function documentOf(report: ReportContent, owner: Actor, nowMs: number, say: Say): Promise<ReportDocument> {
  const zone = zoneOf(report.zone) as Zone
  const period = periodOf(report.period, zone, nowMs)
  const { filter, about } = await filterOf(report, owner)
  const frame: Frame = {
    period,
    zone,
    nowMs,
    filter: Object.fromEntries(Object.entries(filter).map(([key, values]) => [key, (values as unknown[]).join()])),
  }
  return {
    title: report.title,
    kind: report.kind,
    period: { fromMs: period.fromMs, toMs: period.toMs, zone: report.zone, words: period.words },
    currency: report.kind === 'worth' ? report.options.currency : null,
    madeAtMs: nowMs,
    ...(about === null ? {} : { about }),
    rightsOf: owner.name,
    sections: await sectionsOf({ ...report, filter }, owner, frame, say),
  }
}

/** Which runs it is about: those that it names, or those of a view as it is now. */
async function filterOf(
  { filter }: ReportContent,
  owner: Actor,
): Promise<{ readonly filter: ReportFilter; readonly about: string | null }> {
  if (filter.view === undefined) return { filter, about: null }
  const view = await viewIfSeen(owner, filter.view)
  if (!view) throw new Fault('The view that says which runs it is about is gone, or its owner may not see it any more.')
  const { filter: its, left } = ofView(view.values)
  const beyond = left.length === 0 ? '' : ` A report looks at all of them whatever their ${left.join(', ')}.`
  return { filter: its, about: `Runs as the view ${view.title} names them.${beyond}` }
}

async function sectionsOf(report: ReportContent, owner: Actor, frame: Frame, say: Say): Promise<Section[]> {
  const { period, zone, nowMs } = frame
  const reading = (
    taker: RunTaker<Section[]>,
    stretch: { fromMs: number; toMs: number } = period,
  ): Promise<Section[]> => readRuns(taker, stretch, report, say)
  switch (report.kind) {
    case 'runs':
      return reading(runsByDay(frame, report.options))
    case 'failures':
      return reading(failures(frame))
    case 'deadlines':
      return reading(deadlines(frame))
    case 'load': {
      const pools = (await listPools(owner)).map(({ name, slots }) => ({ name, slots }))
      return reading(load(frame, pools), { fromMs: period.fromMs - LOAD_BEFORE_MS, toMs: period.toMs })
    }
    case 'worth': {
      const before = periodBefore(report.period, zone, nowMs)
      return reading(worth(frame, before, await worthBook()), { fromMs: before.fromMs, toMs: period.toMs })
    }
    case 'queues': {
      const taker = queues(frame)
      let n = 0
      for await (const items of itemFacts(period, report.filter)) {
        for (const item of items) taker.take(item)
        n += items.length
        await say(`reads items: ${n.toLocaleString('en')}`, 0.5)
      }
      return taker.finish()
    }
    case 'night log':
      return nightLogSections(
        await shiftLog(owner, {
          from: new Date(period.fromMs).toISOString(),
          to: new Date(period.toMs).toISOString(),
        }),
      )
    case 'schedules':
      return readSchedules(owner, say)
  }
}

async function readRuns(
  taker: RunTaker<Section[]>,
  stretch: { fromMs: number; toMs: number },
  { filter }: ReportContent,
  say: Say,
): Promise<Section[]> {
  await say('counts runs', 0)
  const total = await countFacts(stretch, filter)
  let n = 0
  for await (const runs of runFacts(stretch, filter)) {
    for (const run of runs) taker.take(run)
    n += runs.length
    await say(
      `reads runs: ${n.toLocaleString('en')} of ${total.toLocaleString('en')}`,
      total === 0 ? 0.8 : Math.min(0.8, (0.8 * n) / total),
    )
  }
  await say('works it out', 0.85)
  return taker.finish()
}

async function readSchedules(owner: Actor, say: Say): Promise<Section[]> {
  const taker = schedules()
  let n = 0
  for (let after: string | null = null; ;) {
    const page: Awaited<ReturnType<typeof listTriggers>> = await listTriggers(
      owner,
      triggerFilterSchema.parse({ limit: 200, ...(after === null ? {} : { after }) }),
    )
    for (const row of page.rows)
      taker.take({
        id: row.id,
        title: row.title,
        job: row.jobTitle,
        area: row.area,
        enabled: row.enabled,
        says: row.says,
        where: targetWords(row.target),
        machines: row.machines,
        perDay: row.firesPerDay,
        load: row.load,
        isTooOften: row.isTooOften,
        lastState: row.lastRun?.state ?? null,
        nextAtMs: row.nextAt === null ? null : new Date(row.nextAt).getTime(),
      })
    n += page.rows.length
    await say(`reads triggers: ${n} of ${page.total}`, 0.8)
    if (page.next === null) return taker.finish()
    after = page.next
  }
}
