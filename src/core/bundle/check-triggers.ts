import { parseIsoDay } from '../calendar/days'
import { kindFaults } from '../events/kinds'
import { ringOf, ringWords, type LeadsTo } from '../events/rings'
import { idsOf, isRaw, rawList, rawText, type AddFault, type Raw } from './raw'
import { waitMostFault } from './schema'

/** What of triggers does not fit together, with each other and with the rest of the file. */
export function triggerFaults(raw: Raw, add: AddFault): void {
  ringFaults(raw, add)
  const [jobs, flows, queues] = [idsOf(raw.jobs), idsOf(raw.flows), idsOf(raw.queues)]
  for (const [i, trigger] of rawList(raw.triggers).entries()) {
    if (!isRaw(trigger)) continue
    if (isRaw(trigger.start)) {
      const [job, flow] = [rawText(trigger.start.job), rawText(trigger.start.flow)]
      if (job !== undefined && !jobs.has(job))
        add(['triggers', i, 'start', 'job'], `There is no job ${job} in this file.`)
      if (flow !== undefined && !flows.has(flow))
        add(['triggers', i, 'start', 'flow'], `There is no flow ${flow} in this file.`)
    }
    const fault = waitMostFault(trigger)
    if (fault) add(['triggers', i, 'waitMost'], fault)
    for (const { key, message } of kindFaults(trigger)) add(['triggers', i, ...key.split('.').filter(Boolean)], message)
    sourceFaults(trigger, i, { jobs, flows, queues }, add)
    const [from, until] = [parseIsoDay(rawText(trigger.from) ?? ''), parseIsoDay(rawText(trigger.until) ?? '')]
    if (from !== undefined && until !== undefined && until < from)
      add(
        ['triggers', i, 'until'],
        `The last day ${String(trigger.until)} comes before the first, ${String(trigger.from)}.`,
      )
  }
}

/** What its event is about must be there. */
function sourceFaults(
  trigger: Raw,
  i: number,
  { jobs, flows, queues }: Record<'jobs' | 'flows' | 'queues', ReadonlyMap<string, number>>,
  add: AddFault,
): void {
  const queue = isRaw(trigger.backlog) ? rawText(trigger.backlog.queue) : undefined
  if (queue !== undefined && !queues.has(queue))
    add(['triggers', i, 'backlog', 'queue'], `There is no queue ${queue} in this file.`)
  const of = isRaw(trigger.measure) && isRaw(trigger.measure.of) ? trigger.measure.of : {}
  for (const [key, known] of [
    ['queue', queues],
    ['job', jobs],
  ] as const) {
    const id = rawText(of[key])
    if (id !== undefined && !known.has(id))
      add(['triggers', i, 'measure', 'of', key], `There is no ${key} ${id} in this file.`)
  }
  const work = isRaw(trigger.after) ? rawText(trigger.after.work) : undefined
  if (work === undefined) return
  if (!jobs.has(work) && !flows.has(work))
    add(['triggers', i, 'after', 'work'], `There is no job and no flow ${work} in this file.`)
  else if (jobs.has(work) && flows.has(work))
    add(['triggers', i, 'after', 'work'], `${work} is both a job and a flow of this file: which is meant?`)
}

/** Work that starts itself again, over triggers and steps of flows. */
function ringFaults(raw: Raw, add: AddFault): void {
  const [jobs, flows] = [rawList(raw.jobs), rawList(raw.flows)]
  const places = new Map<string, number>()
  const names: string[] = []
  for (const [kind, list] of [
    ['job', jobs],
    ['flow', flows],
  ] as const)
    for (const work of list) {
      const id = isRaw(work) ? rawText(work.id) : undefined
      if (id === undefined) continue
      places.set(`${kind} ${id}`, names.length)
      names.push(id)
    }
  const placeOf = (work: unknown): number | undefined => {
    const [kind, id] = isRaw(work) ? (Object.entries(work)[0] ?? []) : []
    return places.get(`${kind} ${String(id)}`)
  }
  const leads: LeadsTo[] = []
  const leadsTo = (from: number | undefined, to: number | undefined, trigger: string | null): void => {
    if (from !== undefined && to !== undefined) leads.push({ from, to, trigger })
  }
  for (const [i, trigger] of rawList(raw.triggers).entries()) {
    if (!isRaw(trigger) || !isRaw(trigger.after)) continue
    const { work } = trigger.after
    leadsTo(placeOf({ flow: work }) ?? placeOf({ job: work }), placeOf(trigger.start), rawText(trigger.id) ?? String(i))
  }
  if (leads.length === 0) return
  for (const flow of flows)
    for (const step of isRaw(flow) ? rawList(flow.steps) : [])
      if (isRaw(flow) && isRaw(step)) {
        const inner = step.job === undefined ? { flow: step.flow } : { job: step.job }
        leadsTo(placeOf({ flow: flow.id }), placeOf(inner), null)
      }
  const ring = ringOf(leads)
  const at = ring && rawList(raw.triggers).findIndex((trigger) => isRaw(trigger) && trigger.id === ring[0]?.trigger)
  if (ring)
    add(
      ['triggers', at ?? 0, 'after', 'work'],
      `This would start itself again without end: ${ringWords(ring, (place) => names[place] ?? '')}.`,
    )
}
