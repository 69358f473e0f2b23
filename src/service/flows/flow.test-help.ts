import { randomUUID } from 'node:crypto'
import { flowDefinitionSchema } from '@/core/work/flow'
import type { JobDefinition } from '@/core/work/job'
import { ADMIN, OPERATOR } from '@/store/database.test-help'
import { many, maybeOne, one } from '@/store/db'
import { advanceFlows } from './flow-advance'
import { flowRunView, type FlowStepView } from './flow-run-view'
import { addFlow } from '@/service/work/flows'
import { ended, lease, makeAgent, makeJob, output, report, started } from '@/service/fixtures.test-help'
import { startRun, startSchema } from '@/service/runs/start'
import { addArea } from '@/service/work/areas'

let areaId: number | undefined
let agentId: number | undefined

/** A job with a name for files, and that name. */
export async function namedJob(definition: Partial<JobDefinition> = {}): Promise<{ id: number; slug: string }> {
  const id = await makeJob({ target: { agent: 'flows' }, ...definition })
  return one(null, 'SELECT id, slug FROM jobs WHERE id = $1', [id])
}

/** Makes a flow; steps that name no job run one that each flow has for itself. */
export async function makeFlow(
  steps: readonly Record<string, unknown>[],
  more: object = {},
): Promise<{ id: number; slug: string; job: { id: number; slug: string } }> {
  areaId ??= (await addArea(ADMIN, { title: randomUUID(), notes: '' })).id
  const job = await namedJob()
  const definition = flowDefinitionSchema.parse({
    steps: steps.map((step) => ('job' in step || 'flow' in step ? step : { job: job.slug, ...step })),
    ...more,
  })
  const { id } = await addFlow(ADMIN, { title: randomUUID(), notes: '', areaId, active: true, definition })
  const { slug } = await one<{ slug: string }>(null, 'SELECT slug FROM jobs WHERE id = $1', [id])
  return { id, slug, job }
}

export async function startFlow(jobId: number, more: object = {}): Promise<number> {
  const { id } = await startRun(OPERATOR, startSchema.parse({ jobId, ...more }))
  await advance()
  return id
}

/** What engines do until nothing is left to look at. */
export async function advance(): Promise<void> {
  while ((await advanceFlows(Date.now())).moved > 0);
}

export async function stepsOf(runId: number): Promise<Map<string, FlowStepView>> {
  return new Map((await flowRunView(ADMIN, runId)).steps.map((step) => [step.path, step]))
}

/** The states of a flow run and its steps in one line each: `a succeeded`, `b skipped gate`. */
export async function picture(runId: number): Promise<string[]> {
  const { state } = await one<{ state: string }>(null, 'SELECT state FROM runs WHERE id = $1', [runId])
  const { steps } = await flowRunView(ADMIN, runId)
  return [
    state,
    ...steps.map(({ path, state: of, reason, tolerated }) =>
      [path, of, reason, tolerated ? 'tolerated' : null].filter(Boolean).join(' '),
    ),
  ]
}

/** Numbers of the ready runs of a flow's steps, by path. */
export async function readySteps(runId: number): Promise<Record<string, number>> {
  const rows = await many<{ id: number; path: string }>(
    null,
    `SELECT id, step_path AS path FROM runs WHERE flow_run_id = $1 AND state = 'ready' ORDER BY id`,
    [runId],
  )
  return Object.fromEntries(rows.map(({ id, path }) => [path, id]))
}

export async function hand(stepRunId: number): Promise<{ attempt: number; token: number }> {
  agentId ??= (await maybeOne<{ id: number }>(null, `SELECT id FROM agents WHERE name = 'flows'`))?.id
  agentId ??= await makeAgent('flows', 64)
  return lease(stepRunId, agentId)
}

/** An agent carries a ready step out; a code other than 0 fails it. */
export async function carryOut(runId: number, path: string, code = 0, says = 'done'): Promise<void> {
  await endUnseen(runId, path, code, says)
  await advance()
}

/** The same, but no engine has looked at it yet. */
export async function endUnseen(runId: number, path: string, code = 0, says = 'done'): Promise<void> {
  const run = (await readySteps(runId))[path]
  if (run === undefined) throw new Error(`${path} is not ready: ${(await picture(runId)).join(', ')}`)
  const held = await hand(run)
  await report(agentId as number, held, 1, started, output(says), ended(code))
}
