import { z } from 'zod'
import * as calendarFiles from '@/service/exchange/calendar-files'
import * as calendars from '@/service/timing/calendars'
import { calendarUses, holidayChangesOf, takeOverHolidays } from '@/service/timing/calendar-uses'
import { comingSchema, comingStarts } from '@/service/forecast/coming'
import * as previews from '@/service/forecast/previews'
import * as taking from '@/service/runs/taking'
import * as calls from '@/service/timing/calls'
import { jobMeasures, listMeasures, measureListSchema } from '@/service/timing/measure-list'
import { measureQuerySchema, measureValues } from '@/service/timing/measures'
import { watchState } from '@/service/timing/files'
import { tryEvent, trySchema } from '@/service/timing/event-try'
import * as starts from '@/service/timing/starts'
import { tooOftenSchema } from '@/service/base/settings'
import {
  historySchema,
  listMissed,
  missedSchema,
  triggerHistory,
  triggerMachines,
} from '@/service/timing/trigger-history'
import { listTriggers, triggerFilterSchema } from '@/service/timing/trigger-list'
import * as triggers from '@/service/timing/triggers'
import { holidayCountries, holidayRegions } from '@/core/calendar/holiday-data'
import { parseIsoDay } from '@/core/calendar/days'
import { endpoint, type Endpoint } from '@/app/server/endpoint'
import { id } from './params'

/** The caller's day: years and next days begin with it. */
const today = z.strictObject({
  today: z
    .string()
    .default(() => new Date().toISOString().slice(0, 10))
    .transform((text, context) => {
      const day = parseIsoDay(text)
      if (day === undefined) context.addIssue({ code: 'custom', message: 'Expected a day such as 2027-03-09.' })
      return day ?? 0
    }),
})

/** Calendars, triggers, starts. */
export const TIMING: readonly Endpoint[] = [
  endpoint(
    'GET',
    '/since-back-up',
    'see',
    {
      says: 'after a restore: what agents carried out since the back-up, and how much that had not begun is held: `{restoredAt, runs, unnamed, held}`',
    },
    ({ actor }) => taking.sinceBackUp(actor),
  ),
  endpoint(
    'POST',
    '/since-back-up',
    'operate',
    {
      says: '`{act, attempts: [{attempt, token}]}`; act: `take` (into the record, under its number; its agent tells it again) or `leave`; each by itself, at most 500: `{done, passedOver}`',
      body: taking.takingSchema,
    },
    ({ actor, body }) => taking.decideFound(actor, body),
  ),
  endpoint(
    'POST',
    '/since-back-up/release',
    'operate',
    { says: 'what had not begun at the back-up may begin: `{released}`' },
    ({ actor }) => taking.releaseRestored(actor),
  ),
  endpoint(
    'GET',
    '/calendars',
    'see',
    { says: 'all calendars with their days this year', heavy: true, query: today },
    ({ actor, query }) => calendars.listCalendars(actor, query.today),
  ),
  endpoint(
    'POST',
    '/calendars',
    'design',
    { says: 'add one: `{title, rule}`', heavy: true, body: calendars.calendarSchema },
    ({ actor, body }) => calendars.addCalendar(actor, body),
  ),
  endpoint(
    'POST',
    '/calendars/preview',
    'see',
    {
      says: 'what a changed rule would do to the coming starts of every trigger on it',
      heavy: true,
      body: previews.calendarPreviewSchema,
      reads: true,
    },
    ({ actor, body }) => previews.previewCalendar(actor, body),
  ),
  endpoint('GET', '/calendars/:id', 'see', { says: 'one', heavy: true, query: today }, ({ actor, params, query }) =>
    calendars.oneCalendar(actor, id(params), query.today),
  ),
  endpoint(
    'PUT',
    '/calendars/:id',
    'design',
    { says: 'save it; `version` is the one that was read', heavy: true, body: calendars.calendarSaveSchema },
    ({ actor, params, body }) => calendars.saveCalendar(actor, id(params), body),
  ),
  endpoint(
    'DELETE',
    '/calendars/:id',
    'design',
    { says: 'refused while something uses it', heavy: true },
    ({ actor, params }) => calendars.removeCalendar(actor, id(params)),
  ),
  endpoint(
    'GET',
    '/calendars/:id/uses',
    'see',
    { says: 'triggers and calendars that stand on it' },
    ({ actor, params }) => calendarUses(actor, id(params)),
  ),
  endpoint(
    'GET',
    '/calendars/:id/holidays',
    'see',
    { says: 'what newer holiday data would change', heavy: true },
    ({ actor, params }) => holidayChangesOf(actor, id(params)),
  ),
  endpoint('POST', '/calendars/:id/holidays', 'design', { says: 'take that over', heavy: true }, ({ actor, params }) =>
    takeOverHolidays(actor, id(params)),
  ),
  endpoint(
    'POST',
    '/calendars/:id/subscription',
    'design',
    { says: 'a secret address to subscribe to, shown once' },
    ({ actor, params }) => calendarFiles.subscribe(actor, id(params)),
  ),
  endpoint(
    'DELETE',
    '/calendars/:id/subscription',
    'design',
    { says: 'it is no longer answered' },
    ({ actor, params }) => calendarFiles.unsubscribe(actor, id(params)),
  ),
  endpoint('GET', '/holidays/countries', 'see', { says: 'countries of the holiday data' }, async () =>
    holidayCountries(),
  ),
  endpoint(
    'GET',
    '/holidays/regions',
    'see',
    { says: 'regions of a `country`', query: z.strictObject({ country: z.string().length(2) }) },
    async ({ query }) => holidayRegions(query.country),
  ),
  endpoint(
    'GET',
    '/triggers',
    'see',
    {
      says: 'all schedules; filters `text`, `state`, `cadence`, `load`, `flag`, `outcome`, `pool`, `calendar`, `job`; `sort`, `dir`, `after`',
      query: triggerFilterSchema,
    },
    ({ actor, query }) => listTriggers(actor, query),
  ),
  endpoint(
    'POST',
    '/triggers',
    'design',
    { says: 'add one: `{title, jobId, definition}`', heavy: true, body: triggers.newTriggerSchema },
    ({ actor, body }) => triggers.addTrigger(actor, body),
  ),
  endpoint(
    'PATCH',
    '/triggers',
    'operate',
    {
      says: 'one change to many: `{ids, change}`; all or none; other than `enabled` it takes *design*',
      heavy: true,
      body: triggers.manyTriggersSchema,
    },
    ({ actor, body }) => triggers.changeTriggers(actor, body),
  ),
  endpoint(
    'GET',
    '/measures',
    'see',
    {
      says: 'all that is measured, of jobs, queues and agents (`kind`), fifty from `skip` on: its last value, and of the newest 300 of two weeks the band in which nine in ten lie, and the drift; `text` narrows down',
      query: measureListSchema,
      heavy: true,
    },
    ({ actor, query }) => listMeasures(actor, query),
  ),
  endpoint(
    'GET',
    '/jobs/:id/measures',
    'see',
    { says: 'the last 300 runs of a job that ended: how long they took, and what they handed on that is a number' },
    ({ actor, params }) => jobMeasures(actor, id(params)),
  ),
  endpoint(
    'GET',
    '/measures/values',
    'see',
    {
      says: 'kept values of the last `days` (at most 14) of the measure `name` of an `agent`, each agent of a `pool`, a `queue` or a `job`: `[{of, values: [{atMs, value}]}]`, ascending',
      query: measureQuerySchema,
    },
    ({ actor, query }) => measureValues(actor, query),
  ),
  endpoint(
    'POST',
    '/triggers/try',
    'see',
    {
      says: 'what a made-up event would start, with which inputs, or why nothing: `{is, runs, why, inputs}`; `event` is `{waiting, oldestMinutes, open}`, `{state, values}` or `{body}`, by what the trigger waits for',
      body: trySchema,
      reads: true,
    },
    ({ actor, body }) => tryEvent(actor, body),
  ),
  endpoint(
    'GET',
    '/triggers/:id/watch',
    'see',
    {
      says: 'what the agent says of looking for its files: `{watch: {agent, fault, at}}`; null: it has said nothing yet',
    },
    ({ actor, params }) => watchState(actor, id(params)),
  ),
  endpoint(
    'GET',
    '/triggers/:id/call',
    'see',
    { says: 'who made the address that programs call, and when: `{address}`; null: none yet' },
    ({ actor, params }) => calls.callAddress(actor, id(params)),
  ),
  endpoint(
    'POST',
    '/triggers/:id/call',
    'design',
    {
      says: 'a new address to call, and a new key to sign calls with: `{path, signingKey}`, told this once; the ones before are unknown from now on',
    },
    ({ actor, params }) => calls.renewCall(actor, id(params)),
  ),
  endpoint(
    'POST',
    '/triggers/preview',
    'see',
    {
      says: 'what one would do: next starts, changes, load, clock changes',
      heavy: true,
      body: previews.triggerPreviewSchema,
      reads: true,
    },
    ({ actor, body }) => previews.previewTrigger(actor, body),
  ),
  endpoint('GET', '/triggers/:id', 'see', { says: 'one' }, ({ actor, params }) =>
    triggers.oneTrigger(actor, id(params)),
  ),
  endpoint(
    'PUT',
    '/triggers/:id',
    'design',
    { says: 'save it; `version` is the one that was read', heavy: true, body: triggers.triggerSaveSchema },
    ({ actor, params, body }) => triggers.saveTrigger(actor, id(params), body),
  ),
  endpoint('DELETE', '/triggers/:id', 'design', { says: 'remove it', heavy: true }, ({ actor, params }) =>
    triggers.removeTrigger(actor, id(params)),
  ),
  endpoint(
    'POST',
    '/triggers/:id/start',
    'operate',
    { says: 'start what it starts, now', body: triggers.handStartSchema },
    ({ actor, params, body }) => triggers.startByHand(actor, id(params), body),
  ),
  endpoint(
    'GET',
    '/triggers/:id/history',
    'see',
    { says: 'what ran where, and what was not started and why', query: historySchema },
    ({ actor, params, query }) => triggerHistory(actor, id(params), query),
  ),
  endpoint(
    'GET',
    '/triggers/:id/machines',
    'see',
    { says: 'every machine of its target, and when each had it last' },
    ({ actor, params }) => triggerMachines(actor, id(params)),
  ),
  endpoint(
    'GET',
    '/not-started',
    'see',
    { says: 'what was due and not started, newest first', query: missedSchema },
    ({ actor, query }) => listMissed(actor, query),
  ),
  endpoint(
    'GET',
    '/coming-starts',
    'see',
    {
      says: 'every start of a stretch to come (`from`, `to`) (at most 31 days), the first 500: `{rows, more}`',
      heavy: true,
      query: comingSchema,
    },
    ({ actor, query }) => comingStarts(actor, query),
  ),
  endpoint('GET', '/starts', 'see', { says: 'whether triggers start anything' }, ({ actor }) =>
    starts.startsState(actor),
  ),
  endpoint(
    'PUT',
    '/starts',
    'operate',
    { says: '`{on, note}`: switch starts by triggers off or on', body: starts.startsSchema },
    ({ actor, body }) => starts.switchStarts(actor, body),
  ),
  endpoint('GET', '/too-often', 'see', { says: 'what counts as too often on too many' }, ({ actor }) =>
    starts.tooOften(actor),
  ),
  endpoint(
    'PUT',
    '/too-often',
    'administer',
    { says: '`{minutes, machines}`', body: tooOftenSchema },
    ({ actor, body }) => starts.saveTooOften(actor, body),
  ),
]
