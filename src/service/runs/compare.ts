import { z } from 'zod'
import { factsThatDiffer, type ComparedRun, type FactDifference } from '@/core/compare/facts'
import { compareLines } from '@/core/compare/lines'
import { masking, MASKS, withoutEscapes } from '@/core/compare/masks'
import { tellParts, type Told } from '@/core/compare/stretches'
import { maybeOne } from '@/store/db'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { invalid, notFound } from '@/service/base/problem'
import { oneRun, outputText, type FlowRunFull, type RunFull } from './run-page'

const run = z.coerce.number().int().positive()
const MOST_OWN = 20
/** A list as an address says it, one behind the other; empty: none. */
const listOf = <T extends z.ZodType>(item: T, most: number) =>
  z.preprocess(
    (value) => (typeof value === 'string' ? value.split('\n').filter(Boolean) : value),
    z.array(item).max(most),
  )

export const compareSchema = z.strictObject({
  a: run,
  b: run,
  /** Names of masks that are off, one a line. */
  off: listOf(z.enum(MASKS as [string, ...string[]]), MASKS.length).optional(),
  /** Further regular expressions of what does not count, one a line. */
  own: listOf(z.string().min(1).max(300), MOST_OWN).optional(),
  /** So many lines that are the same are told before and behind what differs. */
  around: z.coerce.number().int().min(0).max(20_000).default(3),
})

/** So many lines of each output are compared. */
const MOST_LINES = 1_000_000
export interface RunHead {
  readonly id: number
  readonly title: string
  readonly state: string
  readonly startedAt: string | null
  readonly lines: number
  /** Why there is no whole output to compare; null: there is. */
  readonly lacks: string | null
}

export interface Comparison extends Told {
  readonly a: RunHead
  readonly b: RunHead
  readonly facts: readonly FactDifference[]
}

/** Two runs side by side: their outputs line by line, and what else was different. */
export async function compareRuns(
  actor: Actor,
  { a: idA, b: idB, off, own, around }: z.output<typeof compareSchema>,
): Promise<Comparison> {
  requireSomewhere(actor, 'see')
  const mask = maskOf({ off, own })
  const [a, b] = [await oneRun(actor, idA), await oneRun(actor, idB)]
  const [linesA, linesB] = [await linesOf(actor, a), await linesOf(actor, b)]
  return {
    a: headOf(a, linesA.length),
    b: headOf(b, linesB.length),
    facts: factsThatDiffer(comparedOf(a), comparedOf(b)),
    ...tellParts(linesA, linesB, compareLines(linesA.map(mask), linesB.map(mask)), around),
  }
}

/** What of a line counts. Throws with the expression that cannot be read. */
export function maskOf({
  off = [],
  own = [],
}: Pick<z.output<typeof compareSchema>, 'off' | 'own'>): (line: string) => string {
  const expressions = own.map((text, i) => {
    try {
      return new RegExp(text, 'g')
    } catch {
      throw invalid(`own[${i}]`, `${text} is no regular expression.`)
    }
  })
  return masking(
    MASKS.filter((name) => !off.includes(name)),
    expressions,
  )
}

type AnyRun = RunFull | FlowRunFull

async function linesOf(actor: Actor, run: AnyRun): Promise<string[]> {
  const last = run.isFlow ? undefined : run.tries.at(-1)
  return last ? outputLines(actor, run.id, last.id, MOST_LINES) : []
}

/** What an attempt wrote, without colours; of more than `most` lines the first, and one more. */
export async function outputLines(actor: Actor, runId: number, attemptId: number, most: number): Promise<string[]> {
  const lines: string[] = []
  for await (const text of outputText(actor, runId, attemptId)) {
    for (const line of text.slice(0, -1).split('\n')) lines.push(withoutEscapes(line))
    if (lines.length > most) break
  }
  return lines.slice(0, most + 1)
}

function lacksOf(run: AnyRun): string | null {
  if (run.isFlow) return 'A flow has no output of its own: compare its steps.'
  const last = run.tries.at(-1)
  if (!last) return 'It has not run yet.'
  if (last.outputPurged) return 'Its output was cleared away.'
  if (last.outputCut) return 'Of its output the middle is left out: it was too long.'
  return last.outputLines > MOST_LINES ? `Its first ${MOST_LINES.toLocaleString('en')} lines are compared.` : null
}

const headOf = (run: AnyRun, lines: number): RunHead => ({
  id: run.id,
  title: run.title,
  state: run.state,
  startedAt: run.startedAt,
  lines,
  lacks: lacksOf(run),
})

export function comparedOf(run: AnyRun): ComparedRun {
  const last = run.isFlow ? undefined : run.tries.at(-1)
  const ran = last?.whatRan
  const secret = new Set(run.secretInputs)
  return {
    version: run.jobVersion,
    inputs: Object.fromEntries(Object.entries(run.inputs).filter(([name]) => !secret.has(name))),
    machine: run.robot ? `${run.robot} on ${run.agent}` : run.agent,
    account: ran?.user ?? null,
    agentVersion: ran?.agentVersion ?? null,
    command: ran ? ran.argv.join(' ') : null,
    environment: ran?.environment ?? {},
    folder: ran?.folder ?? null,
    outputs: last?.outputs ?? {},
    startedBy: run.trigger ? run.trigger.title : run.starter,
    attempts: run.attempts,
    exitCode: run.exitCode,
    lengthMs: run.durationMs,
  }
}

/** Where a trigger starts one on every machine, those of the same machine. */
const LIKE = 'x.job_id = r.job_id AND x.id < r.id AND x.for_agent_id IS NOT DISTINCT FROM r.for_agent_id'

/** Of the run $1 and all that its trigger started with it on other machines: their numbers, `id`. */
export const SAME_START = `
  SELECT x.id FROM runs r JOIN runs x ON x.trigger_id = r.trigger_id AND x.occurrence = r.occurrence WHERE r.id = $1 AND r.event_id IS NULL AND x.event_id IS NULL
  UNION SELECT x.id FROM runs r JOIN runs x ON x.event_id = r.event_id WHERE r.id = $1
  UNION SELECT $1::bigint`

/** What a run can be compared with. */
export interface Like {
  /** Of its job: the one before, and the last before it that went well. */
  readonly before: number | null
  readonly good: number | null
  /** Runs of the same start on other machines. */
  readonly machines: number
}

export async function likeRun(actor: Actor, id: number): Promise<Like> {
  requireSomewhere(actor, 'see')
  const row = await maybeOne<Like>(
    null,
    `SELECT (SELECT x.id FROM runs x WHERE ${LIKE} AND x.ended_at IS NOT NULL AND x.started_at IS NOT NULL ORDER BY x.id DESC LIMIT 1) AS before,
            (SELECT x.id FROM runs x WHERE ${LIKE} AND x.state = 'succeeded' ORDER BY x.id DESC LIMIT 1) AS good,
            CASE WHEN r.for_agent_id IS NULL THEN 0 ELSE (SELECT count(*)::int - 1 FROM (${SAME_START}) s) END AS machines
       FROM runs r WHERE r.id = $1`,
    [id],
  )
  if (!row) throw notFound('run', id)
  return row
}
