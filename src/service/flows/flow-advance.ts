import { execute, many, transaction, type Tx } from '@/store/db'
import { isOutage } from '@/store/outage'
import { wordsOf } from '@/service/base/each-alone'
import { beginFlows } from './flow-begin'
import { fromResults, Move, type Outputs, type TakeUp } from './flow-move'
import { FlowWorld, lockFlows, stepRows, writeSteps, type FlowRow } from './flow-state'
import { applyLives } from '@/service/runs/effects'
import { openFlowMatters } from '@/service/runs/matters'
import { insertRuns, workToStart } from '@/service/runs/new-run'
import { changeFor, changesFor, lockRuns, writeLives, type LifeChange, type LockedRun } from '@/service/runs/run-life'
import { SharedValues } from '@/service/work/shared-values'
import { timingState } from '@/service/base/timing-cache'

/** Flow runs moved on in one transaction. */
const MOST_FLOWS = 60

/**
 * Moves flow runs on: begins those that are ready, and looks at those in which a step ended or a person did something. Any engine may do it: a flow run that
 * another one is at is left to it. All of it follows from the database, so it goes on after any kill. Returns how many were moved, and whether more may wait.
 */
export async function advanceFlows(nowMs: number): Promise<Advance> {
  await timingState(null)
  try {
    return await advanceSome(nowMs, null)
  } catch (error) {
    if (isOutage(error)) throw error
    // One flow run that cannot be moved must not keep the others: each by itself, and that one has failed.
    const ids = await many<{ runId: number }>(
      null,
      `SELECT DISTINCT run_id AS "runId" FROM flow_wakes UNION SELECT id FROM runs WHERE kind = 'flow' AND state = 'ready' LIMIT 1000`,
    )
    let moved = 0
    for (const { runId } of ids)
      moved += await advanceSome(nowMs, runId).then(
        (done) => done.moved,
        (fault: unknown) =>
          isOutage(fault) ? Promise.reject(fault as Error) : giveUpFlow(runId, wordsOf(fault), nowMs),
      )
    return { moved, more: false }
  }
}

/** A flow run that cannot be worked out has failed, with the reason; what runs of it may finish. Returns 1, as one that was dealt with. */
async function giveUpFlow(runId: number, why: string, nowMs: number): Promise<number> {
  await transaction(async (tx) => {
    await execute(tx, 'DELETE FROM flow_wakes WHERE run_id = $1', [runId])
    const run = (await lockRuns(tx, [runId])).get(runId)
    const reason = `The flow cannot be worked out: ${why}`
    const outcome = 'failed' as const
    const change =
      run &&
      changeFor(
        run,
        run.life.state === 'running'
          ? { type: 'ended', atMs: nowMs, outcome, reason }
          : { type: 'decided', outcome, reason },
        nowMs,
      )
    if (change) await applyLives(tx, [change])
  })
  return 1
}

interface Advance {
  readonly moved: number
  readonly more: boolean
}

async function advanceSome(nowMs: number, only: number | null): Promise<Advance> {
  return transaction(async (tx) => {
    const wakes = await many<{ id: number; runId: number }>(
      tx,
      'SELECT id, run_id AS "runId" FROM flow_wakes WHERE $1::bigint IS NULL OR run_id = $1 ORDER BY id LIMIT 500',
      [only],
    )
    const ready = await many<{ id: number }>(
      tx,
      `SELECT r.id FROM runs r JOIN jobs j ON j.id = r.job_id WHERE r.kind = 'flow' AND r.state = 'ready' AND r.held_by IS NULL AND j.active AND ($1::bigint IS NULL OR r.id = $1)
        ORDER BY r.priority, r.id LIMIT ${MOST_FLOWS}`,
      [only],
    )
    const wanted = [...new Set([...wakes.map((wake) => wake.runId), ...ready.map((row) => row.id)])].slice(
      0,
      MOST_FLOWS,
    )
    if (wanted.length === 0) return { moved: 0, more: false }
    const rows = await lockFlows(tx, wanted, 'if free')
    const locked = new Set(rows.map((row) => row.id))
    await execute(tx, 'DELETE FROM flow_wakes WHERE id = ANY($1)', [
      wakes.filter((wake) => locked.has(wake.runId)).map((wake) => wake.id),
    ])
    const moved = await moveOn(
      tx,
      rows.filter((row) => row.state === 'ready' || row.state === 'running'),
      nowMs,
    )
    return {
      moved,
      more: moved > 0 && (wakes.length === 500 || ready.length === MOST_FLOWS || wanted.length === MOST_FLOWS),
    }
  })
}

/** Works these locked flow runs out from what has happened. */
export async function moveOn(
  tx: Tx,
  rows: readonly FlowRow[],
  nowMs: number,
  takeUp: TakeUp = fromResults,
): Promise<number> {
  if (rows.length === 0) return 0
  const shared = await SharedValues.read(tx)
  const begun = await beginFlows(
    tx,
    rows.filter((row) => row.state === 'ready'),
    shared,
    nowMs,
  )
  const all = [...rows.filter((row) => row.state === 'running'), ...begun]
  const steps = await stepRows(
    tx,
    all.map((row) => row.id),
  )
  const open = [...steps.values()].flatMap((list) =>
    list.flatMap(({ state, stepRunId }) =>
      (state === 'ready' || state === 'running') && stepRunId !== null ? [stepRunId] : [],
    ),
  )
  // What is open is locked before it is read for good: no hand-out and no report comes in between.
  const lives = await lockRuns(tx, [...all.map((row) => row.id), ...open])
  const fresh =
    open.length > 0
      ? await stepRows(
          tx,
          all.map((row) => row.id),
        )
      : steps
  const world = await FlowWorld.read(tx, [...new Set(all.map((row) => row.planId as number))])
  const handed = await outputsOf(
    tx,
    all
      .filter((row) => world.looksAtValues(row.planId as number))
      .flatMap((row) => (fresh.get(row.id) ?? []).flatMap(({ stepRunId }) => stepRunId ?? [])),
  )
  const moves = all.map((row) => new Move(row, fresh.get(row.id) ?? [], lives, world, nowMs, takeUp, handed))
  const work = await workToStart(tx, [...new Set(moves.flatMap((move) => move.jobsNeeded()))])
  const outputs = await outputsOf(
    tx,
    moves.flatMap((move) => move.runsReferredTo()),
  )
  for (const move of moves) move.work(work, outputs, shared)
  await write(tx, moves, lives, nowMs)
  return moves.length
}

async function outputsOf(tx: Tx, runIds: readonly number[]): Promise<Outputs> {
  if (runIds.length === 0) return new Map()
  const rows = await many<{ id: number; outputs: Record<string, string> }>(
    tx,
    'SELECT r.id, a.outputs FROM runs r JOIN attempts a ON a.run_id = r.id AND a.number = r.attempts WHERE r.id = ANY($1)',
    [runIds],
  )
  return new Map(rows.map((row) => [row.id, row.outputs]))
}

async function write(tx: Tx, moves: readonly Move[], lives: Map<number, LockedRun>, nowMs: number): Promise<void> {
  const stops = moves.flatMap((move) => move.stops)
  await writeLives(tx, stops)
  const wanted = moves.flatMap((move) => move.newRuns.map((each) => ({ move, ...each })))
  const ids = await insertRuns(
    tx,
    wanted.map((each) => each.run),
  )
  const faulty = wanted.flatMap(({ fault }, i) => (fault === null ? [] : [{ id: ids[i] as number, fault }]))
  const failing = await lockRuns(
    tx,
    faulty.map((each) => each.id),
  )
  await writeLives(
    tx,
    changesFor(
      failing,
      faulty,
      ({ id, fault }) => ({ id, event: { type: 'decided', outcome: 'failed', reason: fault } }),
      nowMs,
    ),
  )
  const idsOf = new Map<Move, Map<number, number>>(moves.map((move) => [move, new Map()]))
  wanted.forEach(({ move, step }, i) => idsOf.get(move)?.set(step, ids[i] as number))
  await writeSteps(
    tx,
    moves.flatMap((move) => move.changes(idsOf.get(move) ?? new Map())),
  )
  await openFlowMatters(
    tx,
    moves
      .filter((move) => move.failed.length > 0)
      .map((move) => ({ flowRunId: move.row.id, step: move.failed[0] as number })),
  )
  const ends = moves.flatMap((move): LifeChange[] => {
    const { end } = move
    const run = lives.get(move.row.id)
    // The matter of a step that failed is there already; one of a flow that cannot go on is not.
    const isKnown = move.fault === null
    const change = end && run && changeFor(run, { type: 'ended', atMs: nowMs, ...end }, nowMs, { isKnown })
    return change ? [change] : []
  })
  await applyLives(tx, ends, {
    runs: [
      ...moves.map((move) => move.row.id),
      ...ids.filter((id): id is number => id !== null),
      ...stops.map((stop) => stop.run.id),
    ],
    ...(wanted.length > 0 ? { place: true as const } : {}),
    ...(stops.length > 0 ? { deliver: true as const } : {}),
    ...(moves.some((move) => move.failed.length > 0) ? { matters: true as const } : {}),
  })
}
