import { z } from 'zod'
import { textSchema } from '@/core/schema/text'
import { visible } from '@/core/schema/plain-text'

// What agents and gateways say beside leases and reports: sign-ins, items, files, desks, traces.

export const id = z.int().positive()
export const text = textSchema(1000).overwrite(visible)
/** Milliseconds since the epoch, 1970 to 9999: what every clock, driver and format can tell. */
export const MOST_INSTANT = 253_402_300_799_999
export const instant = z.int().min(0).max(MOST_INSTANT)

/** What came of trying to sign in as an account. */
export const triedSchema = z.object({
  type: z.literal('tried'),
  ask: id,
  /** Why it did not work, in a sentence; null: it did. */
  fault: text.nullable(),
})

/** JSON as a run hands it over, read further where it is used. */
const anyJson = z.unknown()
const why = textSchema(1000)
const item = z.int().positive()
const queueName = textSchema(64)
/** What a run may ask for about items of work queues. */
export const itemAskSchema = z.discriminatedUnion('do', [
  z.object({ do: z.literal('take'), queue: queueName }),
  z.object({ do: z.literal('add'), queue: queueName, new: anyJson }),
  z.object({ do: z.literal('done'), item, result: anyJson.optional() }),
  z.object({ do: z.literal('reject'), item, why }),
  z.object({ do: z.literal('fail'), item, why }),
  z.object({ do: z.literal('later'), item, notBefore: z.iso.datetime({ offset: true }).optional() }),
])
/** What a run that makes a report asks, at the same door. */
export const reportAskSchema = z.discriminatedUnion('do', [
  z.object({ do: z.literal('report'), report: textSchema(64) }),
  z.object({ do: z.literal('report-state'), result: item }),
  z.object({ do: z.literal('report-stop'), result: item }),
])
export const itemSchema = z.object({
  type: z.literal('item'),
  attempt: id,
  token: id,
  /** The same one is the same question, and gets the same answer. */
  request: textSchema(64).min(8),
  ask: z.unknown(),
})
export type ItemQuestion = Omit<z.output<typeof itemSchema>, 'type'>
/** What was asked for is done, and what came of it; or it was refused and nothing is done, and why. */
export const itemAnswerSchema = z.union([
  z.object({ ok: z.literal(true), answer: z.record(z.string(), z.unknown()) }),
  z.object({ ok: z.literal(false), why: z.string() }),
])
export type ItemAnswer = { readonly ok: true; readonly answer: object } | { readonly ok: false; readonly why: string }

/** The ability of agents that look for files of triggers. */
export const LOOKS_FOR_FILES = 'files'
/** So many files are told in one message. */
export const MOST_FOUND = 100
export const foundFileSchema = z.object({
  trigger: id,
  path: textSchema(1300),
  size: z.int().min(0),
  /** Its last change, by the clock of its machine. */
  modified: z.int().min(-MOST_INSTANT).max(MOST_INSTANT),
})
export type FoundFile = z.output<typeof foundFileSchema>
/** Files that triggers wait for have come, and stand still: told until the server says that it knows them. */
export const filesSchema = z.object({
  type: z.literal('files'),
  found: z.array(foundFileSchema).min(1).max(MOST_FOUND),
})
/** How it goes with looking for them: why it cannot, in a sentence; null: it can. */
export const watchedSchema = z.object({
  type: z.literal('watched'),
  faults: z.array(z.object({ trigger: id, fault: text.nullable() })).max(1000),
})
export const watchSchema = z.object({
  trigger: id,
  path: z.string().max(1000),
  settledSeconds: z.number().min(0),
  /** What lies there already counts, too. */
  present: z.boolean(),
  /** What changed last before this instant lies there already. */
  since: z.int(),
})
export type Watch = z.output<typeof watchSchema>

/** The ability of agents on whose machines people can sit at attended robots. */
export const HAS_DESKS = 'desk'
/** What a person at a robot may say. */
export const deskSaySchema = z.discriminatedUnion('do', [
  z.object({ do: z.literal('now'), ask: id }),
  z.object({ do: z.literal('later'), ask: id, minutes: z.int().min(1).max(1440) }),
  z.object({ do: z.literal('no'), ask: id }),
  z.object({ do: z.literal('start'), job: textSchema(64), inputs: z.record(textSchema(40), textSchema(10_000)) }),
])
export type DeskSay = z.output<typeof deskSaySchema>
/** The desk programs that are open: of which robots. */
export const thereSchema = z.object({ type: z.literal('there'), robots: z.array(textSchema(80)).max(200) })
export const deskAskSchema = z.object({
  type: z.literal('desk'),
  robot: textSchema(80),
  /** The same one is the same word, and gets the same answer. */
  request: textSchema(64).min(8),
  ask: z.unknown(),
})
export type DeskQuestion = Omit<z.output<typeof deskAskSchema>, 'type'>
export const deskStateSchema = z.object({
  robot: z.string().max(80),
  /** The account of the machine that it works under: nobody else can open its desk. */
  user: z.string().max(100),
  person: z.string().max(200).nullable(),
  questions: z
    .array(
      z.object({
        ask: id,
        run: id,
        title: text,
        from: text,
        usualMs: z.number().nullable(),
        how: z.enum(['asked', 'later', 'agreed', 'no', 'late']),
        at: instant,
      }),
    )
    .max(100),
  /** What the person may start there. */
  may: z.array(z.object({ job: text, title: text, inputs: z.array(z.string().max(40)).max(40) })).max(100),
})
export type DeskState = z.output<typeof deskStateSchema>

/** The ability of agents that tell what they do, when they are asked to. */
export const TRACES = 'trace'
const traceLineSchema = z.object({
  at: instant,
  what: textSchema(60),
  facts: z.record(textSchema(40), z.union([z.number(), z.boolean(), textSchema(300), z.null()])),
})
export type TraceLine = z.output<typeof traceLineSchema>
export const traceSchema = z.object({
  type: z.literal('trace'),
  trace: id,
  lines: z.array(traceLineSchema).min(1).max(500),
})
