import { waitsForReach } from '@/core/dispatch'
import { unreachableSchema, type Unreachable } from '@/core/work/job'
import { execute, many, transaction } from '@/store/db'
import { fleetForDispatch, readyRuns } from './dispatch-input'
import { applyLives } from './effects'
import { changesFor, lockRuns } from './run-life'

interface Candidate {
  readonly id: number
  readonly since: Date | null
  readonly target: { readonly agent?: string; readonly pool?: string }
  readonly unreachable: Unreachable
}

/** How often the target was looked for, counted from the first look that found it out of reach. */
export function looksSince(sinceMs: number, nowMs: number, everySeconds: number): number {
  return Math.max(0, Math.floor((nowMs - sinceMs) / (everySeconds * 1000)))
}

/**
 * Looks after ready runs whose target cannot be reached: after as many looks as their job says they fail, or may go to another agent of the pools of the one they
 * were meant for.
 */
export async function watchUnreachable(nowMs: number): Promise<void> {
  const found = await many<Candidate>(
    null,
    `SELECT r.id, r.unreachable_since AS since, r.target, v.definition->'unreachable' AS unreachable
       FROM runs r JOIN job_versions v ON v.job_id = r.job_id AND v.version = r.job_version
      WHERE r.state = 'ready' AND r.held_by IS NULL AND v.definition->'unreachable'->>'then' <> 'wait'`,
  )
  const candidates = found.filter(({ unreachable }) => unreachableSchema.safeParse(unreachable).success)
  if (candidates.length === 0) return
  const agents = (await fleetForDispatch()).map((agent) => ({ ...agent, running: [] }))
  const runs = new Map((await readyRuns(candidates.map((c) => c.id))).map((run) => [run.number, run]))
  const begins: number[] = []
  const ends: number[] = []
  const over: Candidate[] = []
  for (const candidate of candidates) {
    const run = runs.get(candidate.id)
    if (!run) continue
    if (!waitsForReach(run, agents)) {
      if (candidate.since) ends.push(candidate.id)
    } else if (!candidate.since) begins.push(candidate.id)
    else if (
      looksSince(candidate.since.getTime(), nowMs, candidate.unreachable.everySeconds) >= candidate.unreachable.times
    )
      over.push(candidate)
  }
  if (begins.length > 0) await noteSince(begins, new Date(nowMs))
  if (ends.length > 0) await noteSince(ends, null)
  if (over.length > 0) await giveUp(over, nowMs)
}

async function noteSince(runIds: readonly number[], since: Date | null): Promise<void> {
  await execute(
    null,
    `UPDATE runs r SET unreachable_since = $2 FROM (SELECT id FROM runs WHERE id = ANY($1) ORDER BY id FOR NO KEY UPDATE) l WHERE r.id = l.id`,
    [runIds, since],
  )
}

async function giveUp(over: readonly Candidate[], nowMs: number): Promise<void> {
  const reasonOf = ({ target, unreachable }: Candidate): string => {
    const name = target.agent ?? (target.pool ? `No agent of pool ${target.pool}` : 'No agent with its labels')
    const said = target.agent ? `${name} was out of reach` : `${name} could be reached`
    return `${said}: looked ${unreachable.times} times, every ${unreachable.everySeconds} s.`
  }
  await transaction(async (tx) => {
    const runs = await lockRuns(
      tx,
      over.map((candidate) => candidate.id),
    )
    const moved: number[] = []
    for (const candidate of over.filter(({ unreachable }) => unreachable.then === 'elsewhere')) {
      if (runs.get(candidate.id)?.life.state !== 'ready') continue
      const [pool] = await many<{ name: string }>(
        tx,
        `SELECT p.name FROM agents a JOIN pool_members m ON m.agent_id = a.id JOIN pools p ON p.id = m.pool_id
          WHERE a.name = $1 AND p.active AND EXISTS (SELECT 1 FROM pool_members o WHERE o.pool_id = p.id AND o.agent_id <> a.id AND o.active)
          ORDER BY p.name LIMIT 1`,
        [candidate.target.agent ?? ''],
      )
      if (!pool) continue
      await execute(
        tx,
        'UPDATE runs SET target = $2, version = version + 1, unreachable_since = NULL, reason = $3 WHERE id = $1',
        [
          candidate.id,
          JSON.stringify({ pool: pool.name }),
          `${reasonOf(candidate)} Any agent of pool ${pool.name} may take it now.`,
        ],
      )
      moved.push(candidate.id)
    }
    const changes = changesFor(
      runs,
      over.filter(({ unreachable }) => unreachable.then === 'fail'),
      (candidate) => ({
        id: candidate.id,
        event: { type: 'unreachable', atMs: nowMs, reason: reasonOf(candidate) },
      }),
      nowMs,
    )
    await applyLives(tx, changes, moved.length > 0 ? { runs: moved, place: true } : {})
  })
}
