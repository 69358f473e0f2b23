import { z } from 'zod'
import { causeOf } from '@/core/run/cause'
import { targetWords } from '@/core/dispatch/target'
import type { ExportColumn } from '@/core/exports/cells'
import { many } from '@/store/db'
import { invalid } from '@/service/base/problem'
import { listJobs, type JobRow } from '@/service/work/work'
import { allItems, countItems, itemFilterSchema, type ItemRow } from '@/service/queues/items'
import { listQueues, type QueueListed } from '@/service/queues/figures'
import { readQueue } from '@/service/queues/queues'
import { allRuns, countAllRuns, runFilterSchema, type RunRow } from '@/service/runs/run-list'
import { listMatters, type MatterRow } from '@/service/runs/matters'
import { listFile, whole } from './export-list'

const RUN_COLUMNS: readonly ExportColumn<RunRow>[] = [
  { id: 'number', title: 'Run', kind: 'number', value: (r) => r.id },
  { id: 'state', title: 'State', kind: 'text', value: (r) => r.state },
  { id: 'job', title: 'Job', kind: 'text', value: (r) => r.title },
  { id: 'area', title: 'Area', kind: 'text', value: (r) => r.area },
  { id: 'kind', title: 'Does', kind: 'text', value: (r) => r.kind, shownAs: [] },
  { id: 'machine', title: 'Machine', kind: 'text', value: (r) => r.agent },
  { id: 'robot', title: 'Robot', kind: 'text', value: (r) => r.robot, shownAs: ['machine'] },
  { id: 'cause', title: 'Started by', kind: 'text', value: causeOf },
  { id: 'flow', title: 'Step of flow run', kind: 'number', value: (r) => r.flowRunId, shownAs: [] },
  { id: 'step', title: 'Step', kind: 'text', value: (r) => r.stepPath, shownAs: [] },
  { id: 'occurrence', title: 'Was due', kind: 'instant', value: (r) => r.occurrence, shownAs: [] },
  { id: 'created', title: 'Created', kind: 'instant', value: (r) => r.createdAt, shownAs: [] },
  { id: 'started', title: 'Started', kind: 'instant', value: (r) => r.startedAt },
  { id: 'ended', title: 'Ended', kind: 'instant', value: (r) => r.endedAt, shownAs: ['ended', 'ago'] },
  { id: 'took', title: 'Took', kind: 'duration', value: (r) => r.durationMs },
  { id: 'usual', title: 'Usual', kind: 'duration', value: (r) => r.usualMs },
  { id: 'tries', title: 'Tries', kind: 'number', value: (r) => r.attempts },
  { id: 'slots', title: 'Slots', kind: 'number', value: (r) => r.slots },
  { id: 'exit', title: 'Exit', kind: 'number', value: (r) => r.exitCode },
  { id: 'reason', title: 'Why', kind: 'text', value: (r) => r.reason },
  {
    id: 'telling',
    title: 'Telling line',
    kind: 'text',
    value: (r) => r.tellingLine,
    shownAs: ['reason'],
  },
]

export const runsFile = listFile({
  name: 'runs',
  filter: runFilterSchema.omit({ after: true, limit: true }),
  columns: () => RUN_COLUMNS,
  pages: (actor, filter) => allRuns(actor, { ...filter, limit: 1 }),
  count: (actor, filter) => countAllRuns(actor, { ...filter, limit: 1 }),
})

const JOB_COLUMNS: readonly ExportColumn<JobRow>[] = [
  { id: 'title', title: 'Work', kind: 'text', value: (j) => j.title },
  { id: 'id', title: 'Id', kind: 'text', value: (j) => j.slug, shownAs: [] },
  { id: 'area', title: 'Area', kind: 'text', value: (j) => j.area },
  { id: 'kind', title: 'Does', kind: 'text', value: (j) => j.kind },
  { id: 'where', title: 'Where', kind: 'text', value: (j) => targetWords(j.target) },
  { id: 'usual', title: 'Usually', kind: 'duration', value: (j) => j.usualMs },
  { id: 'last', title: 'Last run', kind: 'number', value: (j) => j.lastRun?.id },
  { id: 'lastState', title: 'How it ended', kind: 'text', value: (j) => j.lastRun?.state, shownAs: ['last'] },
  { id: 'when', title: 'When', kind: 'instant', value: (j) => j.lastRun?.at },
  { id: 'active', title: 'Switched on', kind: 'yes', value: (j) => j.active },
  { id: 'savedBy', title: 'Saved by', kind: 'text', value: (j) => j.savedBy, shownAs: [] },
  { id: 'savedAt', title: 'Saved', kind: 'instant', value: (j) => j.savedAt, shownAs: [] },
]
const workFilter = z.strictObject({
  text: z.string().max(100).optional(),
  area: z.coerce.number().int().positive().optional(),
  kind: z.string().max(40).optional(),
})

export const workFile = listFile({
  name: 'work',
  filter: workFilter,
  columns: () => JOB_COLUMNS,
  pages: async function* (actor, { text, area, kind }) {
    const within =
      area === undefined
        ? null
        : new Set(
            (await many<{ id: number }>(null, 'SELECT unnest(areas_below(ARRAY[$1::bigint])) AS id', [area])).map(
              ({ id }) => id,
            ),
          )
    const wanted = text?.toLowerCase() ?? ''
    yield (await listJobs(actor)).filter(
      (job) =>
        (!within || within.has(job.areaId)) &&
        (!kind || job.kind === kind) &&
        `${job.title} ${job.area} ${targetWords(job.target)}`.toLowerCase().includes(wanted),
    )
  },
})

const ITEM_COLUMNS: readonly ExportColumn<ItemRow>[] = [
  { id: 'number', title: 'Item', kind: 'number', value: (i) => i.id, shownAs: [] },
  { id: 'key', title: 'Key', kind: 'text', value: (i) => i.key },
  { id: 'state', title: 'State', kind: 'text', value: (i) => i.state },
  { id: 'priority', title: 'Priority', kind: 'text', value: (i) => i.priority, shownAs: [] },
  { id: 'due', title: 'Due', kind: 'instant', value: (i) => i.due, shownAs: [] },
  { id: 'came', title: 'Came', kind: 'instant', value: (i) => i.createdAt },
  { id: 'ended', title: 'Ended', kind: 'instant', value: (i) => i.endedAt, shownAs: [] },
  { id: 'tries', title: 'Tries', kind: 'number', value: (i) => i.tries, shownAs: [] },
  { id: 'by', title: 'Taken by', kind: 'text', value: (i) => i.robot ?? i.agent },
  { id: 'run', title: 'Run', kind: 'number', value: (i) => i.runId },
  {
    id: 'for',
    title: 'For',
    kind: 'duration',
    value: (i) => i.takenAt && i.takeEndedAt && new Date(i.takeEndedAt).getTime() - new Date(i.takenAt).getTime(),
  },
  { id: 'why', title: 'Why', kind: 'text', value: (i) => i.reason },
]

/** A column of its own for each part of the data that the queue’s schema names, then all of the data. */
async function itemColumns(queueId: number | null): Promise<readonly ExportColumn<ItemRow>[]> {
  const { schema } = await readQueue(null, queueOf(queueId))
  const parts = Object.entries((schema as { properties?: Record<string, unknown> } | null)?.properties ?? {})
  return [
    ...ITEM_COLUMNS,
    ...parts.slice(0, 200).map(([name, part]): ExportColumn<ItemRow> => ({
      id: `data.${name}`,
      title: name,
      kind: ['number', 'integer'].includes(String((part as { type?: unknown } | null)?.type)) ? 'number' : 'text',
      value: ({ data }) =>
        typeof data === 'object' && data !== null && Object.hasOwn(data, name)
          ? (data as Record<string, unknown>)[name]
          : null,
      shownAs: [name],
    })),
    { id: 'data', title: 'Data', kind: 'text', value: (i) => i.data, shownAs: [] },
  ]
}

function queueOf(of: number | null): number {
  if (of === null) throw invalid('of', 'Name the queue whose items they are.')
  return of
}

export const itemsFile = listFile({
  name: 'items',
  filter: itemFilterSchema,
  columns: itemColumns,
  pages: (actor, filter, of) => allItems(actor, queueOf(of), filter),
  count: (actor, filter, of) => countItems(actor, queueOf(of), filter),
})

const QUEUE_COLUMNS: readonly ExportColumn<QueueListed>[] = [
  { id: 'title', title: 'Queue', kind: 'text', value: (q) => q.title },
  { id: 'area', title: 'Area', kind: 'text', value: (q) => q.area },
  { id: 'waiting', title: 'Waiting', kind: 'number', value: (q) => q.waiting },
  { id: 'taken', title: 'Taken', kind: 'number', value: (q) => q.taken },
  { id: 'done', title: 'Done today', kind: 'number', value: (q) => q.doneToday },
  { id: 'rejected', title: 'Rejected', kind: 'number', value: (q) => q.rejected },
  { id: 'failed', title: 'Failed', kind: 'number', value: (q) => q.failed },
  { id: 'overdue', title: 'Past due', kind: 'number', value: (q) => q.overdue },
  { id: 'arrived', title: 'Arrived in an hour', kind: 'number', value: (q) => q.arrivedPerHour },
  { id: 'endedPerHour', title: 'Ended in an hour', kind: 'number', value: (q) => q.endedPerHour },
  { id: 'mean', title: 'Handling time', kind: 'duration', value: (q) => q.meanMs },
  { id: 'empty', title: 'Empty at', kind: 'instant', value: (q) => q.emptyAt },
  { id: 'active', title: 'Switched on', kind: 'yes', value: (q) => q.active },
]
const nothing = z.strictObject({})

export const queuesFile = listFile({
  name: 'queues',
  filter: nothing,
  columns: () => QUEUE_COLUMNS,
  pages: (actor) => whole(listQueues(actor)),
})

const MATTER_COLUMNS: readonly ExportColumn<MatterRow>[] = [
  { id: 'kind', title: 'What', kind: 'text', value: (m) => m.kind },
  { id: 'state', title: 'State', kind: 'text', value: (m) => m.state },
  { id: 'title', title: 'Of', kind: 'text', value: (m) => m.title },
  { id: 'run', title: 'Run', kind: 'number', value: (m) => m.runId },
  { id: 'step', title: 'Step', kind: 'text', value: (m) => m.stepPath },
  { id: 'agent', title: 'Machine', kind: 'text', value: (m) => m.agentName },
  { id: 'reason', title: 'Why', kind: 'text', value: (m) => m.reason },
  { id: 'evidence', title: 'Evidence', kind: 'text', value: (m) => m.evidence },
  { id: 'times', title: 'Times', kind: 'number', value: (m) => m.times },
  { id: 'opened', title: 'Opened', kind: 'instant', value: (m) => m.openedAt },
  { id: 'last', title: 'Last', kind: 'instant', value: (m) => m.lastAt },
  { id: 'due', title: 'Due', kind: 'instant', value: (m) => m.dueAt },
  { id: 'takenBy', title: 'Taken by', kind: 'text', value: (m) => m.takenBy },
  { id: 'taken', title: 'Taken', kind: 'instant', value: (m) => m.takenAt },
  { id: 'note', title: 'Note', kind: 'text', value: (m) => m.note },
]

export const mattersFile = listFile({
  name: 'matters',
  filter: nothing,
  columns: () => MATTER_COLUMNS,
  pages: (actor) => whole(listMatters(actor)),
})
