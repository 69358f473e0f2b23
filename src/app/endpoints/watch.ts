import { z } from 'zod'
import { config } from '@/store/config'
import { closeMatter, closeSchema, listMatters, takeMatter, takeSchema } from '@/service/runs/matters'
import { exportSchema } from '@/service/exports/exports'
import { comingBars, dayAhead } from '@/service/forecast/ahead'
import { nextStarts } from '@/service/forecast/coming'
import { startPage } from '@/service/watch/start-page'
import { dayLine, dayLineSchema, find, justEnded, lanes, systemLanes } from '@/service/watch/watch'
import { endpoint, type Endpoint } from '@/app/server/endpoint'
import { liveStream } from '@/app/server/live'
import { exportFile } from '@/app/server/export-files'
import { id } from './params'

const lanesSchema = z.strictObject({
  hours: z.coerce.number().min(0.25).max(24).default(1),
  by: z.enum(['machine', 'system']).default('machine'),
})

/** What is happening now. */
export const WATCH: readonly Endpoint[] = [
  endpoint(
    'GET',
    '/next-starts',
    'see',
    {
      says: 'the next starts of all triggers, each with when its work is expected to begin if that is later, and why',
      query: z.strictObject({ limit: z.coerce.number().int().min(1).max(100).default(6) }),
    },
    ({ actor, query }) => nextStarts(actor, query.limit),
  ),
  endpoint(
    'GET',
    '/day/ahead',
    'see',
    {
      says: 'the kept forecast by quarters of an hour: slots in use, the band of nine samples in ten, waiting, starts; deadlines with their chances',
    },
    ({ actor }) => dayAhead(actor),
  ),
  endpoint(
    'GET',
    '/exports',
    'see',
    {
      says: 'a list as a file, of any length: `list`, `format` (`csv`, `jsonl`, `xlsx`), `columns` in this order, `zone` of a workbook, `of` (the queue, of items), and the list’s own filter',
      query: exportSchema,
    },
    ({ actor, query }) => exportFile(actor, query),
  ),
  endpoint(
    'GET',
    '/start',
    'see',
    { says: 'what a new server still needs, and the matters that you took' },
    ({ actor }) => startPage(actor),
  ),
  endpoint('GET', '/matters', 'see', { says: 'what needs a person' }, ({ actor }) => listMatters(actor)),
  endpoint(
    'POST',
    '/matters/:id/take',
    'operate',
    { says: 'say that you look after it', body: takeSchema },
    ({ actor, params, body }) => takeMatter(actor, id(params), body.note),
  ),
  endpoint(
    'POST',
    '/matters/:id/close',
    'operate',
    { says: 'it is settled, and what was done', body: closeSchema },
    ({ actor, params, body }) => closeMatter(actor, id(params), body.done),
  ),
  endpoint(
    'GET',
    '/lanes',
    'see',
    {
      says: 'what ran on each machine in the last `hours`, or on each system (`by`: `machine`, `system`)',
      query: lanesSchema,
    },
    ({ actor, query }) => {
      const from = new Date(Date.now() - query.hours * 3_600_000)
      return query.by === 'system' ? systemLanes(actor, from) : lanes(actor, from, config().awaySeconds)
    },
  ),
  endpoint(
    'GET',
    '/lanes/coming',
    'see',
    { says: 'runs that the forecast expects on machines in the next twenty minutes' },
    ({ actor }) => comingBars(actor, new Date(Date.now() + 20 * 60_000)),
  ),
  endpoint('GET', '/ended', 'see', { says: 'what ended just now' }, ({ actor }) => justEnded(actor)),
  endpoint(
    'GET',
    '/day',
    'see',
    {
      says: 'slots used and failures of the last eight hours; `back`: of the 24 hours that begin so many hours earlier, at most 168',
      query: dayLineSchema,
    },
    ({ actor, query }) => dayLine(actor, query),
  ),
  endpoint(
    'GET',
    '/find',
    'see',
    { says: 'every object by a few letters', query: z.strictObject({ text: z.string().trim().min(1).max(100) }) },
    ({ actor, query }) => find(actor, query.text),
  ),
  endpoint('GET', '/live', 'see', { says: 'what changed, as server-sent events' }, async ({ actor, request }) =>
    liveStream(request, actor),
  ),
]
