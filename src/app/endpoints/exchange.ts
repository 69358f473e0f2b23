import { z } from 'zod'
import { exportBundle } from '@/service/exchange/bundle-out'
import { importBundle } from '@/service/exchange/bundle-in'
import * as calendarFiles from '@/service/exchange/calendar-files'
import * as crontabs from '@/service/exchange/crontabs'
import { endpoint, type Endpoint } from '@/app/server/endpoint'
import { icsFile } from '@/app/server/downloads'
import { id } from './params'

const MOST_FILE_BYTES = 32 * 1024 * 1024

const dryRun = z.strictObject({
  dryRun: z
    .enum(['yes', 'no'])
    .default('no')
    .transform((answer) => answer === 'yes'),
})

/** Definitions in and out. */
export const EXCHANGE: readonly Endpoint[] = [
  endpoint(
    'POST',
    '/calendars/read-ics',
    'design',
    {
      says: 'what an iCalendar file would become, and what it cannot carry',
      heavy: true,
      body: calendarFiles.icsSchema,
      reads: true,
      maxBytes: MOST_FILE_BYTES,
    },
    ({ actor, body }) => calendarFiles.readIcs(actor, body),
  ),
  endpoint(
    'GET',
    '/calendars/:id/days.ics',
    'see',
    { says: 'its days as an iCalendar file; `from`, `to`: years', heavy: true, query: calendarFiles.icsRangeSchema },
    async ({ actor, params, query }) => icsFile(await calendarFiles.calendarIcs(actor, id(params), query)),
  ),
  endpoint('GET', '/bundle', 'see', { says: 'all definitions as a bundle', heavy: true }, ({ actor }) =>
    exportBundle(actor),
  ),
  endpoint(
    'POST',
    '/bundle',
    'design',
    {
      says: 'bring a bundle in; `dryRun=yes` only says what would change',
      heavy: true,
      body: z.unknown(),
      query: dryRun,
      maxBytes: MOST_FILE_BYTES,
    },
    ({ actor, body, query }) => importBundle(actor, body, query.dryRun),
  ),
  endpoint(
    'POST',
    '/crontab/read',
    'design',
    {
      says: 'what a crontab would become, line by line',
      heavy: true,
      body: crontabs.crontabSchema,
      reads: true,
      maxBytes: MOST_FILE_BYTES,
    },
    ({ actor, body }) => crontabs.previewCrontab(actor, body),
  ),
  endpoint(
    'POST',
    '/crontab',
    'design',
    {
      says: 'make jobs and triggers of it',
      heavy: true,
      body: crontabs.crontabImportSchema,
      maxBytes: MOST_FILE_BYTES,
    },
    ({ actor, body }) => crontabs.importCrontab(actor, body),
  ),
  endpoint(
    'GET',
    '/crontab',
    'see',
    { says: 'triggers as a crontab, and which cannot be said so', heavy: true },
    ({ actor }) => crontabs.exportCrontab(actor),
  ),
]
