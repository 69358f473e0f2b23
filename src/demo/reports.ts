import { reportSchema } from '@/core/reports/definition'
import { jobDefinitionSchema } from '@/core/work/job'
import { triggerDefinitionSchema } from '@/core/work/trigger'
import type { Actor } from '@/service/base/actor'
import { actorOfPerson } from '@/service/people/sessions'
import { addReport } from '@/service/reports/reports'
import { makeReport } from '@/service/reports/results'
import { saveAreaWorth, saveJobWorth } from '@/service/reports/worths'
import { addTrigger } from '@/service/timing/triggers'
import { addJob } from '@/service/work/work'
import { many, one } from '@/store/db'

async function actor(name: string): Promise<Actor> {
  const { id } = await one<{ id: number }>(null, 'SELECT id FROM people WHERE name = $1', [name])
  const found = await actorOfPerson(id, '')
  if (!found) throw new Error(`${name} is not there.`)
  return found
}

const daysBefore = (now: Date, days: number): string =>
  new Date(now.getTime() - days * 86_400_000).toISOString().slice(0, 10)

/** Reports for those who do not look at screens at night, and what their work spared before there was Bugle. The engine makes them once it is up. */
export async function addReports(now: Date): Promise<void> {
  const [ines, moira, sunniva, petra] = await Promise.all(
    ['Ines Aldaya', 'Moira Calder', 'Sunniva Dahl', 'Petra Flett'].map(actor),
  )
  if (!ines || !moira || !sunniva || !petra) return
  await addWorths(ines, now)
  const readers = { people: [petra.id as number], roles: ['administrator', 'operator', 'designer'], areas: [] }
  const keep = async (owner: Actor, content: object): Promise<void> => {
    const { id } = await addReport(owner, reportSchema.parse({ zone: 'Europe/London', ...content }))
    await makeReport(owner, id)
  }
  await keep(moira, {
    title: 'Monthly fleet review',
    kind: 'runs',
    period: { last: 'month' },
    readers,
    mail: ['office@marram.example'],
  })
  await keep(sunniva, {
    title: 'What went wrong in the night',
    kind: 'failures',
    period: { night: 'last' },
    readers,
    mail: ['office@marram.example'],
  })
  await keep(sunniva, { title: 'Night log', kind: 'night log', period: { night: 'last' }, readers })
  await keep(moira, { title: 'Sailings in time', kind: 'deadlines', period: { days: 28 }, readers })
  await keep(ines, { title: 'Load of the pools', kind: 'load', period: { last: 'week' } })
  await keep(ines, { title: 'Schedules reviewed', kind: 'schedules', period: { current: 'day' } })
  await keep(ines, { title: 'Refunds', kind: 'queues', period: { days: 14 } })
  await addSchedule(ines)
  await keep(ines, { title: 'Worth of this quarter', kind: 'worth', period: { current: 'quarter' }, readers })
}

/** The night's failures go to the office before the first sailing: a job like any other, started by a trigger. */
async function addSchedule(ines: Actor): Promise<void> {
  const { id: areaId } = await one<{ id: number }>(null, `SELECT id FROM areas WHERE title = 'Housekeeping'`)
  const { id: jobId } = await addJob(ines, {
    title: 'Night summary to the office',
    notes: '',
    areaId,
    active: true,
    definition: jobDefinitionSchema.parse({
      action: { kind: 'report', report: 'what-went-wrong-in-the-night' },
      target: { pool: 'lab' },
      retries: 1,
    }),
  })
  await addTrigger(ines, {
    title: 'Night summary',
    notes: '',
    jobId,
    enabled: true,
    sure: true,
    definition: triggerDefinitionSchema.parse({ time: { at: ['09:05'] }, zone: 'Europe/London', priority: 'low' }),
  })
}

/** Minutes by hand, rates and costs in pounds. */
const WORTHS: readonly (readonly [title: string, minutes: number, runCost: number, hours: number])[] = [
  ['Sailing manifests', 95, 0.5, 140],
  ['Close of day', 70, 0.42, 180],
  ['Publish timetable', 45, 0.3, 60],
  ['Freight invoicing', 120, 0.2, 90],
  ['Refund', 6, 0.11, 24],
  ['Vessel log', 1, 0.03, 16],
  ['Gate counts', 4, 0.02, 12],
  ['Configuration check', 3, 0.01, 20],
  ['Nightly backup', 15, 0.4, 30],
]

async function addWorths(ines: Actor, now: Date): Promise<void> {
  const jobs = await many<{ id: number; title: string }>(null, 'SELECT id, title FROM jobs WHERE deleted_at IS NULL')
  const areas = await many<{ id: number; title: string }>(null, 'SELECT id, title FROM areas WHERE deleted_at IS NULL')
  for (const [title, minutes, runCost, hours] of WORTHS) {
    const job = jobs.find((each) => each.title === title)
    if (!job) continue
    await saveJobWorth(ines, job.id, {
      terms: [
        { since: null, minutes, rate: 27, runCost },
        // The office's rate went up.
        { since: daysBefore(now, 30), minutes: null, rate: 28, runCost: null },
      ],
      made: { hours, rate: 46, on: daysBefore(now, 58) },
    })
  }
  const vessels = areas.find(({ title }) => title === 'Vessels')
  if (vessels) await saveAreaWorth(ines, vessels.id, { terms: [{ since: null, minutes: 2, rate: 22, runCost: 0.02 }] })
}
