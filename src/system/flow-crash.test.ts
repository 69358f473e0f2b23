import { existsSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { planOf } from '@/core/flow/plan'
import { rehearse } from '@/core/flow/rehearse'
import type { Outcome } from '@/core/flow/state'
import { bundleFlow, flowDefinitionSchema, type FlowDefinition } from '@/core/work/flow'
import type { FlowRunView } from '@/service/flows/flow-run-view'
import { crashChance, eventually, killAtRandom, poolOfAll, startSystem, type System } from './harness.test-help'

jest.setTimeout(400_000)

const FLOW_RUNS = Number(process.env.BUGLE_CRASH_FLOWS ?? 200)
const STEPS = 20
const KILLS = 12
/** Says that it began, and fails where it is told to: always, or at its first try. */
const SCRIPT = `echo "$BUGLE_RUN $BUGLE_TRY" >> executed
case ",$fails," in *",$step,"*) exit 1;; esac
if [ "$BUGLE_TRY" = 1 ]; then case ",$flaky," in *",$step,"*) exit 1;; esac; fi
`

let system: System
afterEach(() => system.stop())

type Pick = (most: number) => number

/** A flow of 20 steps: 17 with jobs in a random shape, and one that is a flow of two. Nothing in it depends on which of two steps ends first. */
function randomFlow(pick: Pick): FlowDefinition {
  const steps: object[] = []
  for (let i = 0; i < STEPS - 2; i++) {
    const id = `s${i}`
    const froms = [...new Set(Array.from({ length: pick(3) }, () => pick(i)))].filter(() => i > 0)
    const what =
      i === 9
        ? { flow: 'inner', with: { fails: '${fails}' } }
        : {
            job: 'counted',
            with: { step: id, fails: '${fails}', flaky: '${flaky}' },
            retry: { times: 1, delay: 'PT0S' },
          }
    steps.push({
      id,
      ...what,
      ...(froms.length > 0
        ? {
            after: froms.map((from) => ({
              step: `s${from}`,
              when: ['succeeded', 'succeeded', 'succeeded', 'ended', 'failed', 'over'][pick(6)],
            })),
          }
        : {}),
      join: pick(4) === 0 ? 'any' : 'all',
      onFailure:
        i + 1 < STEPS - 2 && pick(5) === 0 ? { goTo: `s${i + 1 + pick(STEPS - 3 - i)}` } : ['fail', 'carryOn'][pick(2)],
      ...(pick(8) === 0 ? { gate: { input: 'kind', equals: 'long' } } : {}),
    })
  }
  return flowDefinitionSchema.parse({ inputs: INPUTS, steps })
}
const INPUTS = [
  { name: 'fails', type: 'text', default: '', ask: true },
  { name: 'flaky', type: 'text', default: '', ask: true },
  { name: 'kind', type: 'text', default: 'short', ask: true },
]

it('every flow ends as the rehearsal says, and nothing runs twice, whatever is killed meanwhile', async () => {
  const random = crashChance()
  const pick: Pick = (most) => Math.floor(random() * most)
  system = await startSystem({ leaseSeconds: 60, slots: 8 })
  const everything = ['engine1', 'engine2', 'web', 'agent1', 'agent2']
  for (const name of everything) await system.start(name)
  await poolOfAll(system)
  const { id: areaId } = await system.api<{ id: number }>('POST', '/areas', { title: 'Crash' })
  await system.api('POST', '/jobs', {
    title: 'Counted',
    areaId,
    definition: {
      action: { kind: 'script', interpreter: 'sh', script: SCRIPT },
      target: { pool: 'all' },
      folder: system.dir,
      inputs: ['step', 'fails', 'flaky'].map((name) => ({ name, type: 'text', default: '', ask: true })),
    },
  })
  const inner = flowDefinitionSchema.parse({
    inputs: INPUTS.slice(0, 1),
    steps: ['i0', 'i1'].map((id) => ({
      id,
      job: 'counted',
      with: { step: id, fails: '${fails}' },
      ...(id === 'i1' ? { after: [{ step: 'i0' }] } : {}),
    })),
  })
  const save = (title: string, definition: FlowDefinition): Promise<{ id: number }> =>
    system.api('POST', '/flows', { title, notes: '', areaId, active: true, definition })
  await save('Inner', inner)
  const flows = await Promise.all(
    Array.from({ length: 8 }, async (_, i) => {
      const definition = randomFlow(pick)
      return { ...(await save(`Flow ${i}`, definition)), slug: `flow-${i}`, definition }
    }),
  )

  const some = (share: number): string =>
    [...Array.from({ length: STEPS - 2 }, (_, i) => `s${i}`), 'i0', 'i1'].filter(() => random() < share).join(',')
  const runs: { id: number; flow: (typeof flows)[number]; inputs: Record<string, string> }[] = []
  const requests = Array.from({ length: FLOW_RUNS }, (_, i) => ({
    key: `flow-run-${i}`,
    flow: flows[pick(flows.length)] as (typeof flows)[number],
    inputs: { fails: some(0.12), flaky: some(0.1), kind: pick(2) === 0 ? 'long' : 'short' },
  }))
  const starters = Array.from({ length: 8 }, async (_, nth) => {
    for (const { key, flow, inputs } of requests.filter((_request, i) => i % 8 === nth)) {
      // An answer that a kill swallowed is asked for again, with the same key.
      const { id } = await system.api<{ id: number }>('POST', '/runs', { jobId: flow.id, inputs, requestKey: key })
      runs.push({ id, flow, inputs })
    }
  })
  const isOver = async (): Promise<boolean> => {
    const [row] = await system.query<{ n: number }>(
      `SELECT count(*)::int AS n FROM runs WHERE kind = 'flow' AND ended_at IS NOT NULL`,
    )
    return row?.n === FLOW_RUNS
  }
  await killAtRandom(system, everything, { times: KILLS, random, restMs: [1000, 2500] })
  await Promise.all(starters)
  await eventually('all flows to end', isOver, 200)

  const steps = await system.query<{ id: number; attempts: number; state: string; reason: string }>(
    'SELECT id::int, attempts, state, reason FROM runs WHERE flow_run_id IS NOT NULL',
  )
  const executed = readFileSync(join(system.dir, 'executed'), 'utf8').trim().split('\n')
  expect(new Set(executed).size).toBe(executed.length)
  const times = new Map<string, number>()
  for (const line of executed)
    times.set(line.split(' ')[0] as string, (times.get(line.split(' ')[0] as string) ?? 0) + 1)
  // How the tries ended stands beside what is wrong: chance does not come twice the same way.
  const wrong = steps.filter(({ id, attempts }) => attempts !== (times.get(String(id)) ?? 0))
  const told = await system.query<{ runId: number; reason: string }>(
    'SELECT run_id::int AS "runId", reason FROM attempts WHERE run_id = ANY ($1) ORDER BY run_id, number',
    [wrong.map(({ id }) => id)],
  )
  expect([wrong, told]).toEqual([[], []])
  expect(existsSync(join(system.dir, 'executed'))).toBe(true)

  for (const { id, flow, inputs } of runs) {
    const plan = planOf(
      {
        flows: [...flows.map(({ slug, definition }) => bundleFlow(slug, definition)), bundleFlow('inner', inner)],
        jobs: [{ id: 'counted', active: true }],
      },
      flow.slug,
      inputs,
    )
    const view = await system.api<FlowRunView>('GET', `/runs/${id}/steps`)
    const outcomes = new Map<number, Outcome>()
    for (const { index, path } of plan.steps) {
      const name = path.split('/').at(-1) as string
      if (inputs.fails?.split(',').includes(name)) outcomes.set(index, 'failed')
    }
    const said = rehearse(plan, ({ gate }) => (gate && inputs.kind !== 'long' ? 'gate' : 'open'), outcomes)
    const expected = plan.steps.map(({ path }) => `${path} ${said.steps.get(path)?.state ?? 'waiting'}`)
    expect([id, view.steps.map(({ path, state }) => `${path} ${state}`)]).toEqual([id, expected])
    const [row] = await system.query<{ state: string }>('SELECT state FROM runs WHERE id = $1', [id])
    expect([id, row?.state]).toEqual([id, said.flow])
  }
})
