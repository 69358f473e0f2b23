import { compareMachines, compareMachinesSchema } from '@/service/runs/compare-machines'
import { whatChanged } from '@/service/watch/what-changed'
import { compareRuns, compareSchema, likeRun } from '@/service/runs/compare'
import { z } from 'zod'
import { actOnRuns, manyRunsSchema } from '@/service/runs/many-runs'
import { countRuns, listRuns, runFilterSchema } from '@/service/runs/run-list'
import {
  earlierRuns,
  oneRun,
  outputQuerySchema,
  readOutput,
  searchOutput,
  searchQuerySchema,
  whyWaiting,
} from '@/service/runs/run-page'
import { againSchema, clearRun, runAgain, startRun, startSchema, stopRun } from '@/service/runs/start'
import { flowRunView, flowStory } from '@/service/flows/flow-run-view'
import * as flowRuns from '@/service/flows/flow-runs'
import { endpoint, type Endpoint } from '@/app/server/endpoint'
import { outputFile } from '@/app/server/downloads'
import { id } from './params'

const hours = z.strictObject({ hours: z.coerce.number().min(0.25).max(24).default(1) })

/** Runs and what can be done with them. */
export const RUNS: readonly Endpoint[] = [
  endpoint(
    'GET',
    '/runs/compare',
    'see',
    {
      says: 'runs `a` and `b` side by side: outputs by line and word, and what else differs; `off`: masks that are off (`instants`, `durations`, `run numbers`, `process ids`, `temporary names`), `own`: further regular expressions of what does not count, each one a line; `around`: so many lines that are the same beside what differs',
      heavy: true,
      query: compareSchema,
    },
    ({ actor, query }) => compareRuns(actor, query),
  ),
  endpoint(
    'GET',
    '/runs/:id/machines',
    'see',
    {
      says: 'the runs of its start on all machines, grouped by what they wrote, the odd ones first; `off`, `own` as above',
      heavy: true,
      query: compareMachinesSchema,
    },
    ({ actor, params, query }) => compareMachines(actor, id(params), query),
  ),
  endpoint(
    'GET',
    '/runs/:id/changes',
    'see',
    {
      says: 'what is different from when its job last went well, the likeliest to explain it first, and which other jobs failed on the same machine or system, or with the same account, within the hour: suspicions, no more',
    },
    ({ actor, params }) => whatChanged(actor, id(params)),
  ),
  endpoint('GET', '/runs/:id/like', 'see', { says: 'runs of its job to compare it with' }, ({ actor, params }) =>
    likeRun(actor, id(params)),
  ),
  endpoint(
    'GET',
    '/runs',
    'see',
    {
      says: 'filters `state`, `job`, `area`, `agent`, `robot`, `trigger`, `person`, `cause`, `text`, `from`, `to`, `board`, `steps` (`yes`: those of flows’ steps too); `sort`, `dir`, `after`, `limit`',
      query: runFilterSchema,
    },
    ({ actor, query }) => listRuns(actor, query),
  ),
  endpoint(
    'GET',
    '/runs/counts',
    'see',
    { says: 'how many of each state in the last `hours`', query: hours },
    ({ actor, query }) => countRuns(actor, new Date(Date.now() - query.hours * 3_600_000)),
  ),
  endpoint(
    'POST',
    '/runs',
    'operate',
    {
      says: 'of a job or flow: `{jobId, inputs, at, target, requestKey}`; a repeated `requestKey` starts nothing twice',
      body: startSchema,
    },
    ({ actor, body }) => startRun(actor, body),
  ),
  endpoint(
    'POST',
    '/runs/many',
    'operate',
    {
      says: '`{ids, act, dry?, requestKey?}`; act: `stop`, `again`, `clear`, `close` (their matters); each by itself, at most 500: `{done, machines, passedOver, made}`; with `dry` nothing is done',
      body: manyRunsSchema,
    },
    ({ actor, body }) => actOnRuns(actor, body),
  ),
  endpoint('GET', '/runs/:id', 'see', { says: 'one, with its tries' }, ({ actor, params }) =>
    oneRun(actor, id(params)),
  ),
  endpoint('GET', '/runs/:id/why', 'see', { says: 'why it is waiting' }, async ({ actor, params }) => ({
    reason: await whyWaiting(actor, id(params)),
  })),
  endpoint('GET', '/runs/:id/earlier', 'see', { says: 'earlier runs of its job' }, ({ actor, params }) =>
    earlierRuns(actor, id(params)),
  ),
  endpoint(
    'GET',
    '/runs/:id/output',
    'see',
    { says: 'lines of output; `attempt`, `from` (first line), `count`', query: outputQuerySchema },
    ({ actor, params, query }) => readOutput(actor, id(params), query),
  ),
  endpoint(
    'GET',
    '/runs/:id/search',
    'see',
    { says: 'numbers of lines that contain a `text`; `attempt`', query: searchQuerySchema },
    ({ actor, params, query }) => searchOutput(actor, id(params), query),
  ),
  endpoint(
    'GET',
    '/runs/:id/output.txt',
    'see',
    { says: 'all of it', query: z.strictObject({ attempt: z.coerce.number().int().positive() }) },
    async ({ actor, params, query }) => outputFile(actor, id(params), query.attempt),
  ),
  endpoint('POST', '/runs/:id/stop', 'operate', { says: 'ask it to end' }, ({ actor, params }) =>
    stopRun(actor, id(params)),
  ),
  endpoint(
    'POST',
    '/runs/:id/again',
    'operate',
    { says: 'run it again, with other inputs if given', body: againSchema },
    ({ actor, params, body }) => runAgain(actor, id(params), body),
  ),
  endpoint(
    'GET',
    '/runs/:id/steps',
    'see',
    { says: 'of a flow run: its plan, and the state of each step' },
    ({ actor, params }) => flowRunView(actor, id(params)),
  ),
  endpoint('GET', '/runs/:id/story', 'see', { says: 'of a flow run: what happened, in order' }, ({ actor, params }) =>
    flowStory(actor, id(params)),
  ),
  endpoint(
    'POST',
    '/runs/:id/steps/hold',
    'operate',
    { says: '`{step}`: a step (by its path) that has not started waits for a person', body: flowRuns.stepSchema },
    ({ actor, params, body }) => flowRuns.holdStep(actor, id(params), body),
  ),
  endpoint(
    'POST',
    '/runs/:id/steps/release',
    'operate',
    { says: 'it may start', body: flowRuns.stepSchema },
    ({ actor, params, body }) => flowRuns.releaseStep(actor, id(params), body),
  ),
  endpoint(
    'POST',
    '/runs/:id/steps/mark',
    'operate',
    { says: '`{step, as, why}`: a step counts as succeeded or failed', body: flowRuns.markSchema },
    ({ actor, params, body }) => flowRuns.markStep(actor, id(params), body),
  ),
  endpoint(
    'POST',
    '/runs/:id/steps/again/preview',
    'see',
    {
      says: '`{steps}`: what would run again, and what is kept',
      heavy: true,
      body: flowRuns.againPreviewSchema,
      reads: true,
    },
    ({ actor, params, body }) => flowRuns.previewAgain(actor, id(params), body),
  ),
  endpoint(
    'POST',
    '/runs/:id/steps/again',
    'operate',
    { says: '`{steps, inputs}`: run again from these; the earlier results are kept', body: flowRuns.stepsAgainSchema },
    ({ actor, params, body }) => flowRuns.runStepsAgain(actor, id(params), body),
  ),
  endpoint('POST', '/runs/:id/clear', 'operate', { says: 'take it off the board' }, ({ actor, params }) =>
    clearRun(actor, id(params)),
  ),
]
