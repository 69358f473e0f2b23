import { z } from 'zod'
import { backlogStarts, endFits } from '@/core/events/decide'
import { broughtBy } from '@/core/events/facts'
import { TOLD_STATES } from '@/core/events/kinds'
import { firings } from '@/core/events/measure'
import { fitsName, joinPath, neverCounts, splitPath } from '@/core/events/file-name'
import { broughtInputs, fitsOnly, type Brought } from '@/core/events/values'
import { isoDay } from '@/core/calendar/days'
import { triggerDefinitionSchema } from '@/core/work/trigger'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { Problem } from '@/service/base/problem'
import { timingState } from '@/service/base/timing-cache'
import { inputsFor } from '@/service/runs/new-run'
import { daysAround } from '@/service/work/run-days'
import { byTrigger, SharedValues } from '@/service/work/shared-values'
import { openingOf } from './event-decide'
import { jobOf } from './trigger-check'

/** Something made up, and the trigger that it is tried with, saved or not. */
export const trySchema = z.strictObject({
  jobId: z.int().positive(),
  definition: triggerDefinitionSchema,
  event: z.union([
    z.strictObject({
      waiting: z.int().min(0).max(10_000_000),
      oldestMinutes: z.number().min(0).max(1_000_000).nullable().default(null),
      open: z.int().min(0).max(1000).default(0),
    }),
    z.strictObject({
      state: z.enum(TOLD_STATES),
      values: z.record(z.string().max(200), z.string().max(10_000)).default({}),
    }),
    z.strictObject({
      /** The name of a file in the folder. */
      name: z.string().min(1).max(255),
      size: z.int().min(0).default(0),
    }),
    /** A minute apart. */
    z.strictObject({ values: z.array(z.number()).max(1000) }),
    z.strictObject({ body: z.unknown() }),
  ]),
  /** When it happens; now without it. */
  at: z.iso.datetime({ offset: true }).optional(),
})
export type TryRequest = z.output<typeof trySchema>

export interface Tried {
  readonly is: 'starts' | 'waits' | 'starts nothing'
  /** How many runs. */
  readonly runs: number
  /** In a sentence. */
  readonly why: string
  /** What it would start with; empty unless it starts. */
  readonly inputs: Readonly<Record<string, string>>
}

const nothing = (why: string): Tried => ({ is: 'starts nothing', runs: 0, why, inputs: {} })

/** What a made-up event would start, with which inputs, or why it would start nothing. Changes nothing. */
export async function tryEvent(actor: Actor, { jobId, definition, event, at }: TryRequest): Promise<Tried> {
  requireSomewhere(actor, 'see')
  const nowMs = at === undefined ? Date.now() : Date.parse(at)
  const [state, job] = [await timingState(null), await jobOf(null, jobId)]
  if (!job)
    throw new Problem('invalid-input', 'This job does not exist.', [{ path: 'jobId', message: 'Choose a job.' }])
  const wanted = wantedBy(definition, event)
  if (typeof wanted === 'string') return nothing(wanted)
  const opening = openingOf(definition, state, nowMs)
  if (opening.is === 'not on this day') return nothing(`Its days leave ${isoDay(opening.day)} out.`)
  if (opening.is === 'waits') return { is: 'waits', runs: 0, why: waitsWords(opening.untilMs), inputs: {} }
  if (!job.active) return nothing(`${job.title} is switched off.`)
  const shared = (await SharedValues.read(null)).known(byTrigger(), daysAround(state, isoDay(opening.day)))
  const brought = broughtInputs(
    definition.with,
    wanted.brings,
    job.definition.inputs.map(({ name }) => name),
  )
  const { inputs, faults } = inputsFor(job.definition, brought.given, shared)
  const wrong = [...brought.faults, ...faults].map(({ message }) => message)
  if (wrong.length > 0) return nothing(wrong.join(' '))
  const why = wanted.runs === 1 ? 'One run would start.' : `${wanted.runs} runs would start.`
  return { is: 'starts', runs: wanted.runs, why, inputs: inputs.open }
}

const waitsWords = (untilMs: number | null): string =>
  untilMs === null ? 'It would wait for good.' : `It would wait until ${new Date(untilMs).toISOString()}.`

/** What the event itself calls for; a text: nothing, and why. */
function wantedBy(
  { backlog, after, call, file, measure }: TryRequest['definition'],
  event: TryRequest['event'],
): string | { readonly runs: number; readonly brings: Brought } {
  if (backlog && 'waiting' in event) {
    const { waiting, oldestMinutes, open } = event
    const runs = backlogStarts(backlog, {
      waiting,
      open,
      oldestSeconds: oldestMinutes === null ? null : oldestMinutes * 60,
    })
    if (runs === 0) return open > 0 ? 'Those that go on are enough.' : 'Too few items wait, and none for long enough.'
    return { runs, brings: { values: { queue: backlog.queue, waiting: String(waiting) } } }
  }
  if (after && 'state' in event) {
    const { state, values } = event
    if (!endFits(after.when, state))
      return after.when === 'changed'
        ? 'It waits for another output of a run, and this one has ended.'
        : state === 'changed'
          ? `It waits for a run that has ${after.when}: another output is not what it is told of.`
          : `It waits for a run that has ${after.when}, and this one has ${state === 'lost' || state === 'cancelled' ? `been ${state}` : state}.`
    return { runs: 1, brings: { values: { ...values, run: '1', state } } }
  }
  if (measure && 'values' in event && Array.isArray(event.values)) {
    const values = event.values.map((value, i) => ({ atMs: i * 60_000, value }))
    const fired = firings(measure, values)
    const last = fired.at(-1)
    if (!last) return 'None of these values completes what it waits for.'
    return { runs: fired.length, brings: broughtBy({ measure: measure.name, of: 'made-up', value: last.value }) }
  }
  if (file && 'name' in event) {
    const { folder, name } = splitPath(file.path)
    if (neverCounts(event.name)) return 'A name that begins with a dot, or ends with .part or .tmp, never counts.'
    if (!fitsName(name, event.name)) return `${event.name} is none of ${name}.`
    const modified = new Date().toISOString()
    return {
      runs: 1,
      brings: broughtBy({ agent: file.on.agent, file: joinPath(folder, event.name), size: event.size, modified }),
    }
  }
  if (call && 'body' in event) {
    if (!fitsOnly(call.only, event.body)) return 'It is none of the calls that count.'
    return { runs: 1, brings: { values: { call: 'call made-up' }, body: event.body } }
  }
  return 'What is made up is not what this trigger waits for.'
}
