import fc from 'fast-check'
import { FlowRun, type Outcome } from '../flow/state'
import { isoInstant } from '../timing/instants'
import { agentFacts } from './agent-facts.test-help'
import { busyBundle, FROM } from './arbitrary.test-help'
import { modelOf } from './build'
import type { Model } from './model'
import { recorded, type Recorded } from './report'
import type { OpenNight, OpenRun, Server } from './server'
import type { Attempt, Night } from './play'

const REST = 3600

/** All that a server would know of the model at an instant at which nothing happens. */
function serverAt(model: Model, { nights, attempts }: Recorded, now: number): Server {
  const open = nights
    .filter((night) => night.of.at < now && (night.letGo > now || endOf(night, attempts) > now))
    .map((night): OpenNight => {
      const own = attempts.filter(({ task, ready }) => task.night === night && ready < now)
      const runs = [...new Map(own.map((attempt) => [attempt.task.number, attempt])).values()]
      const isOver = ({ end, state }: Attempt): boolean => end !== null && end < now && state !== 'lost'
      return {
        trigger: night.of.trigger.id,
        // What waits has its number from its instant on.
        number: night.letGo > now ? numberOf(night, attempts) : night.order,
        occurrence: night.of.at,
        day: night.of.day,
        due: night.of.due,
        start: night.work.plan ? { flow: flowOf(night) } : { job: night.work.steps[0]?.job ?? '' },
        with: {},
        machine: null,
        priority: night.work.steps.find((step) => step)?.priority ?? 'normal',
        target: null,
        waits: night.letGo > now ? 'earlier' : null,
        steps: stepsAt(night, own, now),
        held: [],
        runs: night.letGo > now ? [] : runs.filter((run) => !isOver(run)).map((run) => openRun(run, now)),
      }
    })
  const lastStart = (name: string): number | null => {
    const starts = attempts.flatMap(({ agent, start }) =>
      agent === name && start !== null && start < now ? [start] : [],
    )
    return starts.length === 0 ? null : Math.max(...starts)
  }
  return {
    agents: model.agents.map(({ name, pools }) => agentFacts(name, pools, { lastStart: lastStart(name) })),
    lengths: {},
    open,
    startsOff: false,
  }
}

const numberOf = (night: Night, attempts: readonly Attempt[]): number =>
  attempts.find(({ task }) => task.night === night)?.task.number ?? 0

/** When it was over for all; a replaced one when the last of its runs was stopped. */
function endOf(night: Night, attempts: readonly Attempt[]): number {
  if (night.state !== 'replaced') return night.finish ?? Infinity
  return Math.max(...attempts.filter(({ task }) => task.night === night).map(({ end }) => end ?? Infinity))
}

const flowOf = (night: Night): string => flows.get(night.of.trigger.id) ?? ''
const flows = new Map<string, string>()

const openRun = ({ task, ready, start, agent }: Attempt, now: number): OpenRun => {
  const isRunning = start !== null && start < now
  return {
    number: task.number,
    step: task.step.path,
    agent: isRunning ? agent : null,
    started: isRunning ? start : null,
    ready,
    startAfter: null,
    begun: isRunning ? 1 : 0,
    failed: 0,
    held: false,
  }
}

/** How the steps stood: the flow played again up to the instant. */
function stepsAt(night: Night, own: readonly Attempt[], now: number): OpenNight['steps'] {
  const { plan, look } = night.work
  if (!plan || night.letGo > now) return {}
  const flow = new FlowRun(plan, look)
  flow.endDueFlows()
  const ends = own
    .filter(({ end, state }) => end !== null && end < now && state !== 'lost')
    .sort((a, b) => (a.end as number) - (b.end as number))
  for (const at of new Set(ends.map(({ end }) => end))) {
    flow.endTogether(
      ends.filter(({ end }) => end === at).map(({ task, state }) => [task.step.index, state as Outcome] as const),
    )
    flow.endDueFlows()
  }
  for (const { task, start } of own) if (start !== null && start < now) flow.started(task.step.index)
  return Object.fromEntries(plan.steps.map(({ path, index }) => [path, flow.result(index)]))
}

describe('a forecast from what runs and waits now', () => {
  it('goes on as the one that began before does', () => {
    fc.assert(
      fc.property(busyBundle, fc.integer({ min: 1, max: 300 }), (bundle, after) => {
        for (const { id, start } of bundle.triggers) if ('flow' in start) flows.set(id, start.flow)
        // Halves of seconds: nothing happens then.
        const now = FROM + after + 0.5
        // A server knows all its agents by name, and gives what waits its number at once: both are a server's.
        const agents = modelOf(bundle, FROM, 1).agents.map(({ name, slots, pools, away }) => ({
          id: name,
          slots,
          pools: [...pools],
          away: away.map(({ from, to }) => ({ from: isoInstant(from), to: isoInstant(to) })),
        }))
        const known = { ...bundle, agents }
        const alone = modelOf(known, FROM, 1)
        const model = modelOf(known, FROM, 1, serverAt(alone, { ...recorded(alone), nights: [], attempts: [] }, FROM))
        const whole = recorded(model)
        const rest = recorded(modelOf(known, now, (FROM + REST - now) / 3600, serverAt(model, whole, now)))
        const lines = ({ attempts }: Recorded): string[] =>
          attempts
            .filter(({ end }) => end === null || end > now)
            .map(({ task, start, end, agent, state }) =>
              [task.night.of.trigger.id, task.night.of.at, task.step.path ?? '-', start, end, agent, state].join(' '),
            )
            .sort()
        expect(lines(rest)).toEqual(lines(whole))
      }),
      { numRuns: 150 },
    )
  })
})
