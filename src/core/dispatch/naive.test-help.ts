import { whatLacks } from './eligible'
import { compareTurns, expectedEndMs, turnOf } from './order'
import type { AgentState, Fleet, HeldWork, ReadyRun, Reason, Start } from './types'

/**
 * The rules of a placing written down as plainly as they read, without any index: slow, and the oracle for the board's tests. Of each reason as much as the rules fix.
 */
export function placeNaively(
  fleet: Fleet,
  ready: readonly ReadyRun[],
  nowMs: number,
): { starts: Start[]; reasons: Map<number, Partial<Reason>> } {
  // A robot may be called like an agent: to tell them apart here each place is known by its number.
  const placeOf = (place: string): AgentState => fleet.agents[Number(place)] as AgentState
  const all = fleet.agents.map((_, i) => String(i))
  const running = new Map<string, HeldWork[]>(all.map((place) => [place, [...placeOf(place).running]]))
  const lastStart = new Map(all.map((place) => [place, placeOf(place).lastStartAtMs ?? -Infinity]))
  const closed = new Set<string>()
  const kept = new Map<string, { run: ReadyRun; agent: string; atMs: number }>()
  const starts: Start[] = []
  const reasons = new Map<number, Partial<Reason>>()
  const endOf = (work: HeldWork): number => expectedEndMs(work.startedAtMs, work.usualMs, nowMs)
  const slotsOf = (name: string): number => placeOf(name).slots
  const nameOf = (place: string): string => placeOf(place).name
  const usedAt = (name: string, atMs: number): number =>
    (running.get(name) ?? []).filter((w) => atMs < 0 || endOf(w) > atMs).reduce((sum, w) => sum + w.slots, 0)
  const free = (name: string): number => slotsOf(name) - usedAt(name, -1)
  const unitsLeft = (lock: string): number =>
    (fleet.locks[lock] ?? 0) - [...running.values()].flat().reduce((sum, work) => sum + (work.locks[lock] ?? 0), 0)

  for (const { run } of ready.map((each) => turnOf(each, nowMs)).sort(compareTurns)) {
    if (run.held) reasons.set(run.number, { why: 'held' })
    else if (run.off) reasons.set(run.number, { why: 'off' })
    else if (run.kindOff !== undefined) reasons.set(run.number, { why: 'kind', because: run.kindOff })
    else {
      const eligible = all.filter((place) => whatLacks(run, placeOf(place)).length === 0)
      if (eligible.length === 0) {
        const live = run.desk?.live
        reasons.set(run.number, live && live.how !== 'agreed' ? { why: 'person', robot: live.robot } : { why: 'agent' })
        continue
      }
      for (const [lock, units] of Object.entries(run.locks)) if (unitsLeft(lock) < units) closed.add(lock)
      if (Object.keys(run.locks).some((lock) => closed.has(lock))) {
        const lacking = Object.keys(run.locks).find((lock) => closed.has(lock)) ?? ''
        reasons.set(run.number, { why: lacking.startsWith('allowance ') ? 'allowance' : 'lock' })
        continue
      }
      const withRoom = eligible.filter((name) => free(name) >= run.slots)
      if (withRoom.length === 0) {
        reasons.set(run.number, { why: 'slot' })
        const key =
          'pool' in run.target
            ? `pool ${run.target.pool}`
            : 'robotPool' in run.target
              ? `robots ${run.target.robotPool}`
              : `set ${[...eligible].sort().join()}`
        if (kept.has(key)) continue
        const candidates = eligible.map((name) => {
          const instants = (running.get(name) ?? []).map(endOf).sort((a, b) => a - b)
          return { agent: name, atMs: instants.find((at) => slotsOf(name) - usedAt(name, at) >= run.slots) ?? Infinity }
        })
        candidates.sort((a, b) => a.atMs - b.atMs || (nameOf(a.agent) < nameOf(b.agent) ? -1 : 1))
        const first = candidates[0]
        if (first && first.atMs < Infinity) {
          kept.set(key, { run, ...first })
          reasons.set(run.number, { why: 'slot', agent: nameOf(first.agent), atMs: first.atMs })
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
        (a, b) =>
          share(a) - share(b) || (lastStart.get(a) ?? 0) - (lastStart.get(b) ?? 0) || (nameOf(a) < nameOf(b) ? -1 : 1),
      )
      const agent = allowed[0] as string
      const { robot } = placeOf(agent)
      starts.push({
        number: run.number,
        ...(robot ? { agent: robot.agent, robot: nameOf(agent) } : { agent: nameOf(agent) }),
      })
      lastStart.set(agent, nowMs)
      running
        .get(agent)
        ?.push({ number: run.number, slots: run.slots, locks: run.locks, startedAtMs: nowMs, usualMs: run.usualMs })
    }
  }
  return { starts, reasons }
}
