import { place, type ReadyRun } from '../dispatch'
import { FlowRun } from '../flow/state'
import type { Model, Occurrence, StepModel, Work } from './model'

/** An attempt as both evaluators tell it, in one line. */
export type Line = string

interface Night {
  of: Occurrence
  work: Work
  flow: FlowRun | null
  over: boolean
}

interface Run {
  night: Night
  step: StepModel
  number: number
  ready: number
  agent: string | null
  start: number
}

/**
 * The forecast second by second, written for being read: at every second all four steps are looked at, whatever happens or not, and each placing begins with an
 * empty board.
 */
export function naiveForecast(model: Model, until: number): Line[] {
  const lines: Line[] = []
  const nights: Night[] = []
  const waiting = new Map<string, Occurrence[]>(model.triggers.map(({ id }) => [id, []]))
  const lastStart = new Map<string, number>()
  let runs: Run[] = []
  let numbers = 0
  let wasAway = new Set<string>()
  const tell = (run: Run, end: number | null, state: string): void => {
    const { of } = run.night
    lines.push(
      [
        of.trigger.id,
        of.at,
        run.step.path ?? '-',
        run.number,
        run.ready,
        run.agent === null ? null : run.start,
        end,
        run.agent,
        state,
      ].join(' '),
    )
  }
  const addRun = (night: Night, step: StepModel, now: number): void => {
    runs.push({ night, step, number: ++numbers, ready: now, agent: null, start: 0 })
  }
  const goOn = (night: Night, now: number): void => {
    for (const index of night.flow?.takeAhead() ?? []) {
      const step = night.work.steps[index]
      if (step) addRun(night, step, now)
    }
    if (night.flow && night.flow.state !== 'running') night.over = true
  }
  const begin = (of: Occurrence, now: number): void => {
    const work = of.trigger.workOn(of.day)
    const night: Night = { of, work, flow: work.plan ? new FlowRun(work.plan, work.look) : null, over: false }
    nights.push(night)
    if (night.flow) night.flow.endDueFlows()
    else addRun(night, work.steps[0] as StepModel, now)
    goOn(night, now)
  }
  const going = (id: string): Night[] =>
    nights.filter((night) => night.of.trigger.id === id && !night.over && night.of.trigger.id === id)
  for (let now = model.from; now <= until; now++) {
    // 1. What ends.
    const ending = runs.filter((run) => run.agent !== null && run.start + run.step.length.p50 === now)
    runs = runs.filter((run) => !ending.includes(run))
    for (const run of ending) tell(run, now, 'succeeded')
    for (const night of nights) {
      const own = ending.filter((run) => run.night === night)
      if (own.length === 0) continue
      if (!night.flow) night.over = true
      night.flow?.endTogether(own.map(({ step }) => [step.index, 'succeeded']))
      night.flow?.endDueFlows()
      goOn(night, now)
    }
    // 2. Agents go and come.
    const away = new Set(
      model.agents
        .filter((agent) => agent.away.some(({ from, to }) => from <= now && now < to))
        .map(({ name }) => name),
    )
    for (const run of runs)
      if (run.agent !== null && away.has(run.agent) && !wasAway.has(run.agent)) {
        tell(run, now, 'lost')
        Object.assign(run, { agent: null, ready: now })
      }
    wasAway = away
    // 3. Occurrences.
    for (const trigger of model.triggers) {
      const queue = waiting.get(trigger.id) as Occurrence[]
      while (queue.length > 0 && going(trigger.id).length === 0) begin(queue.shift() as Occurrence, now)
      for (const of of trigger.occurrences.filter(({ at }) => at === now)) {
        const open = going(trigger.id)
        if (trigger.overlap === 'skip' && open.length > 0) continue
        if (trigger.overlap === 'wait' && (open.length > 0 || queue.length > 0)) {
          if (queue.length < trigger.waitMost) queue.push(of)
          continue
        }
        if (trigger.overlap === 'replace')
          for (const night of open) {
            for (const run of runs.filter((each) => each.night === night)) tell(run, now, 'cancelled')
            runs = runs.filter((each) => each.night !== night)
            night.over = true
          }
        begin(of, now)
      }
    }
    // 4. What is ready is placed.
    const ready = runs.filter(({ agent }) => agent === null)
    const fleet = {
      locks: model.locks,
      agents: model.agents.map(({ name, slots, pools }) => ({
        name,
        slots,
        on: true,
        draining: false,
        connected: !away.has(name),
        pools: Object.fromEntries(pools.map((pool) => [pool, true])),
        labels: {},
        version: '1',
        abilities: [''],
        accounts: [],
        robot: null,
        lastStartAtMs: lastStart.has(name) ? (lastStart.get(name) as number) * 1000 : null,
        running: runs
          .filter(({ agent }) => agent === name)
          .map(({ number, step, start }) => ({
            number,
            slots: step.slots,
            locks: step.locks,
            startedAtMs: start * 1000,
            usualMs: step.length.p50 * 1000,
          })),
      })),
    }
    for (const { number, agent } of place(fleet, ready.map(readyRun), now * 1000).starts) {
      Object.assign(runs.find((run) => run.number === number) as Run, { agent, start: now })
      lastStart.set(agent, now)
    }
  }
  for (const run of runs) tell(run, null, run.agent === null ? 'ready' : 'running')
  return lines.sort()
}

const readyRun = ({ number, step, night, ready }: Run): ReadyRun => ({
  number,
  target: { pool: step.pool },
  kind: '',
  slots: step.slots,
  locks: step.locks,
  account: null,
  minVersion: null,
  priority: step.priority,
  dueAtMs: night.of.due === null ? null : night.of.due * 1000,
  usualMs: step.length.p50 * 1000,
  chainMs: (night.work.chains[step.index] as number) * 1000,
  readyAtMs: ready * 1000,
  held: false,
  off: false,
})
