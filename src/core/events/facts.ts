import { z } from 'zod'
import { splitPath } from './file-name'
import { FILE_VALUES } from './kinds'
import type { Brought } from './values'

/** What is kept of something that happened, by its kind. */
export const eventFactsSchema = z.union([
  z.object({ queue: z.string(), waiting: z.number(), oldestSeconds: z.number().nullable() }),
  z.object({ run: z.number(), state: z.string() }),
  z.object({ call: z.string(), body: z.unknown() }),
  /** `of`: whose value it was, by title or name. */
  z.object({ measure: z.string(), of: z.string(), value: z.number() }),
  z.object({
    agent: z.string(),
    file: z.string(),
    size: z.number(),
    /** ISO 8601. */
    modified: z.string(),
  }),
])
export type EventFacts = z.output<typeof eventFactsSchema>

/** As it is shown: of a run with the title of its work (null: not to be seen), of a call without what it sent. */
export type ShownEvent =
  | Extract<EventFacts, { queue: string }>
  | (Extract<EventFacts, { run: number }> & { readonly work: string | null })
  | Extract<EventFacts, { file: string }>
  | Extract<EventFacts, { measure: string }>
  | { readonly call: string }

/** What these facts give to inputs. `handedOn`: what the run of which they tell handed on. */
export function broughtBy(facts: EventFacts, handedOn: Readonly<Record<string, string>> = {}): Brought {
  if ('queue' in facts) return { values: { queue: facts.queue, waiting: String(facts.waiting) } }
  if ('measure' in facts) return { values: { measure: facts.measure, of: facts.of, value: String(facts.value) } }
  if ('file' in facts) {
    const { file, size, modified } = facts
    return { values: { file, folder: splitPath(file).folder, size: String(size), modified }, byName: FILE_VALUES }
  }
  if ('call' in facts) return { values: { call: facts.call }, body: facts.body }
  return { values: { ...handedOn, run: String(facts.run), state: facts.state } }
}
