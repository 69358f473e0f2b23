import { changeOfOutput, changeWords, type OutputChange } from '@/core/compare/changed'
import { masking } from '@/core/compare/masks'
import { jobDefinitionSchema } from '@/core/work/job'
import type { Watches } from '@/core/work/watches'
import { ENGINE } from '@/service/base/actor'
import { wordsOf } from '@/service/base/each-alone'
import { queueChanged } from '@/service/notices/notice-sending'
import { outputLines } from '@/service/runs/compare'
import { openChanged } from '@/service/runs/matters'
import type { OutputLook } from '@/service/runs/output-looks'
import { execute, maybeOne, one, transaction, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { tellChanged } from '@/store/statements/events'

/** So many lines of each output are looked at. */
const MOST_LINES = 200_000
/** One that was begun so often without coming to an end is given up: an expression may take for ever. */
const MOST_TRIES = 2
/** Whoever has begun has so long before another begins it again, seconds. */
const HELD_SECONDS = 120

/** Whether an output waits to be looked at. */
export const looksAreDue = async (): Promise<boolean> =>
  (
    await one<{ due: boolean }>(
      null,
      `SELECT EXISTS (SELECT FROM output_looks WHERE state = 'waiting' AND next_at <= now()) AS due`,
    )
  ).due

interface Claimed {
  readonly runId: number
  readonly tries: number
}

/** Looks at one output that waits, the earliest first. False: none waits. Whatever is wrong with one stays with that one. */
export async function lookAtNext(): Promise<boolean> {
  const claimed = await maybeOne<Claimed>(
    null,
    `UPDATE output_looks SET tries = tries + 1, next_at = now() + make_interval(secs => $1)
      WHERE run_id = (SELECT run_id FROM output_looks WHERE state = 'waiting' AND next_at <= now() ORDER BY next_at, run_id LIMIT 1 FOR UPDATE SKIP LOCKED)
     RETURNING run_id AS "runId", tries`,
    [HELD_SECONDS],
  )
  if (!claimed) return false
  const { runId, tries } = claimed
  if (tries > MOST_TRIES) await keep(runId, nothing('failed', 'Comparing it took too long.'))
  else
    try {
      await keep(runId, await looked(runId))
    } catch (error) {
      if (tries === MOST_TRIES) await keep(runId, nothing('failed', `It could not be compared: ${wordsOf(error)}`))
      else throw error
    }
  return true
}

const nothing = (state: OutputLook['state'], why: string, before: number | null = null): OutputLook => ({
  state,
  before,
  change: null,
  why,
})

interface Output {
  readonly runId: number
  readonly attemptId: number
  readonly isCut: boolean
  readonly isPurged: boolean
}

/** The last attempt of a run, with what is left of its output. */
const OUTPUT = `SELECT a.run_id AS "runId", a.id AS "attemptId", a.output_cut AS "isCut", a.output_purged AS "isPurged" FROM attempts a`

async function looked(runId: number): Promise<OutputLook> {
  const now = await maybeOne<Output>(null, `${OUTPUT} WHERE a.run_id = $1 ORDER BY a.number DESC LIMIT 1`, [runId])
  const before = await maybeOne<Output>(
    null,
    `${OUTPUT} WHERE a.run_id = (SELECT x.id FROM runs r JOIN runs x ON x.job_id = r.job_id AND x.for_agent_id IS NOT DISTINCT FROM r.for_agent_id
        WHERE r.id = $1 AND x.id < r.id AND x.state = 'succeeded' ORDER BY x.id DESC LIMIT 1) ORDER BY a.number DESC LIMIT 1`,
    [runId],
  )
  if (!now || now.isPurged) return nothing('failed', 'Its output was cleared away before it was looked at.')
  if (!before) return nothing('first', 'There was no success before it.')
  if (before.isPurged) return nothing('first', 'The output of the success before it was cleared away.', before.runId)
  if (now.isCut || before.isCut)
    return nothing('failed', 'Of one of them the middle is left out: it was too long.', before.runId)
  const watches = await watchesOf(runId)
  const lines = async (of: Output): Promise<string[]> =>
    (await outputLines(ENGINE, of.runId, of.attemptId, MOST_LINES)).slice(0, MOST_LINES)
  const mask = masking(
    watches.masks,
    watches.patterns.map((text) => new RegExp(text, 'g')),
  )
  const change = changeOfOutput(await lines(before), await lines(now), mask)
  return { state: change ? 'changed' : 'same', before: before.runId, change, why: '' }
}

/** As the version says with which it was started. */
async function watchesOf(runId: number): Promise<Watches> {
  const { raw } = await one<{ raw: unknown }>(
    null,
    'SELECT v.definition AS raw FROM runs r JOIN job_versions v ON v.job_id = r.job_id AND v.version = r.job_version WHERE r.id = $1',
    [runId],
  )
  const { watches } = jobDefinitionSchema.parse(raw)
  if (!watches) throw new Error('its job does not watch its output')
  return watches
}

/** Keeps what came of it, and tells whoever is to know, in one transaction: all of it once. */
async function keep(runId: number, { state, before, change, why }: OutputLook): Promise<void> {
  await transaction(async (tx) => {
    const done = await execute(
      tx,
      `UPDATE output_looks SET state = $2, before_id = $3, change = $4, why = $5, looked_at = now() WHERE run_id = $1 AND state = 'waiting'`,
      [runId, state, before, change && JSON.stringify(change), why],
    )
    if (done === 0) return
    if (change && before !== null) await tell(tx, runId, before, change)
    await notify(tx, { runs: [runId], ...(change ? { events: true, matters: true } : {}) })
  })
}

async function tell(tx: Tx, runId: number, before: number, change: OutputChange): Promise<void> {
  await tellChanged(tx, [runId])
  await queueChanged(tx, runId)
  await openChanged(tx, runId, changeWords(change, before))
}
