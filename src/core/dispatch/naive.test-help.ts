import { whatLacks } from './eligible'
import { compareTurns, expectedEndMs, turnOf } from './order'
import type { Fleet, HeldWork, ReadyRun, Reason, Start } from './types'

/**
 * The rules of a placing written down as plainly as they read, without any index: slow, and the oracle for the board's tests. Of each reason as much as the rules fix.
 */
export function placeNaively(
  fleet: Fleet,
  ready: readonly ReadyRun[],
  nowMs: number,
): { starts: Start[]; reasons: Map<number, Partial<Reason>> } {
  const running = new Map<string, HeldWork[]>(fleet.agents.map((agent) => [agent.name, [...agent.running]]))
  const lastStart = new Map(fleet.agents.map((agent) => [agent.name, agent.lastStartAtMs ?? -Infinity]))
  const closed = new Set<string>()
  const kept = new Map<string, { run: ReadyRun; agent: string; atMs: number }>()
  const starts: Start[] = []
  const reasons = new Map<number, Partial<Reason>>()
  const endOf = (work: HeldWork): number => expectedEndMs(work.startedAtMs, work.usualMs, nowMs)
  const slotsOf = (name: string): number => fleet.agents.find((agent) => agent.name === name)?.slots ?? 0
  const usedAt = (name: string, atMs: number): number =>
    (running.get(name) ?? []).filter((w) => atMs < 0 || endOf(w) > atMs).reduce((sum, w) => sum + w.slots, 0)
  const free = (name: string): number => slotsOf(name) - usedAt(name, -1)
  const unitsLeft = (lock: string): number =>
    (fleet.locks[lock] ?? 0) - [...running.values()].flat().reduce((sum, work) => sum + (work.locks[lock] ?? 0), 0)

  for (const { run } of ready.map((each) => turnOf(each, nowMs)).sort(compareTurns)) {
    if (run.held) reasons.set(run.number, { why: 'held' })
    else if (run.off) reasons.set(run.number, { why: 'off' })
    else {
      const eligible = fleet.agents.filter((agent) => whatLacks(run, agent).length === 0).map((agent) => agent.name)
      if (eligible.length === 0) {
        reasons.set(run.number, { why: 'agent' })
        continue
      }
      for (const [lock, units] of Object.entries(run.locks)) if (unitsLeft(lock) < units) closed.add(lock)
      if (Object.keys(run.locks).some((lock) => closed.has(lock))) {
        reasons.set(run.number, { why: 'lock' })
        continue
      }
      const withRoom = eligible.filter((name) => free(name) >= run.slots)
      if (withRoom.length === 0) {
        reasons.set(run.number, { why: 'slot' })
        const key = 'pool' in run.target ? `pool ${run.target.pool}` : `set ${[...eligible].sort().join()}`
        if (kept.has(key)) continue
        const candidates = eligible.map((name) => {
          const instants = (running.get(name) ?? []).map(endOf).sort((a, b) => a - b)
          return { agent: name, atMs: instants.find((at) => slotsOf(name) - usedAt(name, at) >= run.slots) ?? Infinity }
        })
        candidates.sort((a, b) => a.atMs - b.atMs || (a.agent < b.agent ? -1 : 1))
        const first = candidates[0]
        if (first && first.atMs < Infinity) {
          kept.set(key, { run, ...first })
          reasons.set(run.number, { why: 'slot', ...first })
        }
        continue
      }
      const endMs = expectedEndMs(nowMs, run.usualMs, nowMs)
      const inTheWay = (name: string): ReadyRun | undefined =>
        [...kept.values()].find((turn) => {
          if (endMs <= turn.atMs) return false
          const spare = slotsOf(turn.agent) - usedAt(turn.agent, turn.atMs)
          const slotsStay = turn.agent !== name || spare - run.slots >= turn.run.slots
          const locksStay = Object.keys(run.locks).every(
            (lock) => (turn.run.locks[lock] ?? 0) <= unitsLeft(lock) - (run.locks[lock] ?? 0),
          )
          return !slotsStay || !locksStay
        })?.run
      const allowed = withRoom.filter((name) => !inTheWay(name))
      if (allowed.length === 0) {
        reasons.set(run.number, { why: 'turn', for: inTheWay(withRoom[0] as string)?.number as number })
        continue
      }
      const share = (name: string): number => (usedAt(name, -1) + run.slots) / slotsOf(name)
      allowed.sort(
        (a, b) => share(a) - share(b) || (lastStart.get(a) ?? 0) - (lastStart.get(b) ?? 0) || (a < b ? -1 : 1),
      )
      const agent = allowed[0] as string
      starts.push({ number: run.number, agent })
      lastStart.set(agent, nowMs)
      running
        .get(agent)
        ?.push({ number: run.number, slots: run.slots, locks: run.locks, startedAtMs: nowMs, usualMs: run.usualMs })
    }
  }
  return { starts, reasons }
}
