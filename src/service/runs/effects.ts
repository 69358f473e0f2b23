import { execute, transaction, type Tx } from '@/store/db'
import { notify, type Change } from '@/store/listen'
import { tellEnds } from '@/store/statements/events'
import { endTakesOf } from '@/service/queues/takes'
import { closeMattersOf, openMatters } from './matters'
import { noteLooks } from './output-looks'
import { changesFor, lockRuns, writeLives, type Happening, type LifeChange } from './run-life'

/**
 * Writes what becomes of runs, and all that follows from it for others: a bad end opens a matter or counts to it, a success puts one right, a stopped flow looks at its steps, and
 * engines and browsers hear of it once the transaction is committed.
 *
 * @param also what else the caller changed, told in the same breath
 * @returns the runs that really changed: not those that somebody else has changed since they were read
 */
export async function applyLives(tx: Tx, changes: readonly LifeChange[], also: Change = {}): Promise<Set<number>> {
  const done = await writeLives(tx, changes)
  const written = changes.filter(({ run }) => done.has(run.id))
  const ended = (...states: string[]): LifeChange[] =>
    written.filter(({ finished, life }) => finished && states.includes(life.state))
  const bad = ended('failed', 'lost')
  await openMatters(
    tx,
    bad.filter(({ isKnown }) => !isKnown),
  )
  await closeMattersOf(
    tx,
    ended('succeeded').map(({ run }) => run.id),
  )
  await noteLooks(
    tx,
    ended('succeeded').map(({ run }) => run.id),
  )
  // Whatever an attempt held of work queues it holds no longer than it goes on.
  await endTakesOf(
    tx,
    written
      .filter(({ run, life }) => run.life.state === 'running' && life.state !== 'running')
      .map(({ run }) => run.id),
  )
  const over = written.filter(({ finished }) => finished).map(({ run }) => run)
  const told = await tellEnds(
    tx,
    over.map(({ id }) => id),
  )
  const has = (effect: LifeChange['effects'][number]): LifeChange[] =>
    written.filter(({ effects }) => effects.includes(effect))
  const asked = has('tellAgent')
  await wakeStopped(
    tx,
    asked.filter(({ life }) => life.stopAskedBy !== null).map(({ run }) => run.id),
  )
  const change: Change = {
    ...also,
    ...(done.size > 0 ? { runs: [...new Set([...done, ...(also.runs ?? [])])] } : {}),
    ...(has('place').length + has('finish').length > 0 ? { place: true } : {}),
    ...(asked.length > 0 ? { deliver: true } : {}),
    ...(told > 0 || over.some(({ isOfEvent }) => isOfEvent) ? { events: true } : {}),
    ...(bad.length > 0 ? { matters: true } : {}),
  }
  if (Object.keys(change).length > 0) await notify(tx, change)
  return done
}

/** Flow runs have no agent that could be told: an engine stops their steps. */
async function wakeStopped(tx: Tx, runIds: readonly number[]): Promise<void> {
  if (runIds.length === 0) return
  await execute(
    tx,
    `INSERT INTO flow_wakes (run_id) SELECT id FROM runs WHERE id = ANY($1) AND kind = 'flow' AND state = 'running'`,
    [runIds],
  )
}

/**
 * Asks for the end of runs that another run of their trigger replaces: at once if they have not started, else by asking their agents.
 * `titles` are those of the triggers, by the run's id.
 */
export async function stopForReplacement(tx: Tx, titles: ReadonlyMap<number, string>, atMs: number): Promise<void> {
  if (titles.size === 0) return
  const runs = await lockRuns(tx, [...titles.keys()])
  await applyLives(
    tx,
    changesFor(
      runs,
      titles,
      ([id, title]) => ({
        id,
        event: { type: 'stopAsked', atMs, by: `the trigger “${title}”, whose next run took its place` },
      }),
      atMs,
    ),
  )
}

/** These runs have not started and never can: they have failed, each with its reason. */
export async function failRuns(bad: readonly { readonly id: number; readonly reason: string }[]): Promise<void> {
  if (bad.length === 0) return
  await transaction(async (tx) => {
    const atMs = Date.now()
    const runs = await lockRuns(
      tx,
      bad.map(({ id }) => id),
    )
    const failed = ({ id, reason }: (typeof bad)[number]): Happening => ({
      id,
      event: { type: 'decided', outcome: 'failed', reason },
    })
    await applyLives(tx, changesFor(runs, bad, failed, atMs))
  })
}
