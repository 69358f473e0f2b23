import { z } from 'zod'
import { config } from '@/store/config'
import { listAudit } from '@/service/audit'
import { listEngines } from '@/service/engines'
import {
  addEnrolmentKey,
  answerEnrolment,
  answerSchema,
  enrolmentKeySchema,
  enrolmentsOfKey,
  revokeEnrolmentKey,
} from '@/service/enrol'
import * as accounts from '@/service/accounts'
import * as addresses from '@/service/addresses'
import { noticeSchema } from '@/core/work/notice'
import * as notices from '@/service/notices'
import { listDrifts } from '@/service/drifts'
import * as locks from '@/service/locks'
import * as sharedValues from '@/service/shared-values'
import * as fleet from '@/service/fleet'
import { versionsSchema, workVersion, workVersions } from '@/service/work-versions'
import { actOnRuns, manyRunsSchema } from '@/service/many-runs'
import { closeMatter, listMatters, takeMatter, takeSchema } from '@/service/matters'
import {
  addPerson,
  changePerson,
  listPeople,
  personChangeSchema,
  personSchema,
  preferencesSchema,
  savePreferences,
} from '@/service/people'
import { countRuns, listRuns, runFilterSchema } from '@/service/run-list'
import {
  earlierRuns,
  oneRun,
  outputQuerySchema,
  readOutput,
  searchOutput,
  searchQuerySchema,
  whyWaiting,
} from '@/service/run-page'
import * as signIn from '@/service/sign-in'
import {
  againSchema,
  clearRun,
  runAgain,
  startable,
  startableQuery,
  startRun,
  startSchema,
  stopRun,
} from '@/service/start'
import { flowRunView, flowStory } from '@/service/flow-run-view'
import * as flowRuns from '@/service/flow-runs'
import * as flows from '@/service/flows'
import { exportBundle } from '@/service/bundle-out'
import { importBundle } from '@/service/bundle-in'
import * as calendarFiles from '@/service/calendar-files'
import * as calendars from '@/service/calendars'
import { calendarUses, holidayChangesOf, takeOverHolidays } from '@/service/calendar-uses'
import { comingSchema, comingStarts, dayAhead, nextStarts } from '@/service/coming'
import * as crontabs from '@/service/crontabs'
import * as previews from '@/service/previews'
import * as starts from '@/service/starts'
import { addressesSchema, tooOftenSchema } from '@/service/settings'
import { historySchema, listMissed, missedSchema, triggerHistory, triggerMachines } from '@/service/trigger-history'
import { listTriggers, triggerFilterSchema } from '@/service/trigger-list'
import * as triggers from '@/service/triggers'
import { holidayCountries, holidayRegions } from '@/core/calendar/holiday-data'
import { parseIsoDay } from '@/core/calendar/days'
import { dayLine, dayLineSchema, find, justEnded, lanes } from '@/service/watch'
import * as work from '@/service/work'
import { agentCommand } from './agent-file'
import { endpoint, type Endpoint } from './endpoint'
import { liveStream } from './live'
import { icsFile, outputFile, runsCsv } from './downloads'

const id = (params: Readonly<Record<string, number>>): number => params.id as number
const auditQuery = z.strictObject({ before: z.coerce.number().int().optional(), text: z.string().max(100).optional() })
const hours = z.strictObject({ hours: z.coerce.number().min(0.25).max(24).default(1) })

const MOST_FILE_BYTES = 32 * 1024 * 1024
const dryRun = z.strictObject({
  dryRun: z
    .enum(['yes', 'no'])
    .default('no')
    .transform((answer) => answer === 'yes'),
})
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

/** Everything the API does, under /api/v1. `docs/api.md` is made from this table. */
export const ENDPOINTS: readonly Endpoint[] = [
  endpoint('GET', '/me', 'see', {}, async ({ actor, signedIn }) => ({
    ...actor,
    preferences: signedIn.preferences,
    isDemo: config().isDemo,
  })),
  endpoint('PATCH', '/me', 'see', { body: preferencesSchema, own: true }, ({ actor, body }) =>
    savePreferences(actor, body),
  ),
  endpoint('POST', '/me/password', 'see', { body: signIn.passwordChangeSchema, own: true }, ({ actor, body }) =>
    signIn.changePassword(actor, body),
  ),
  endpoint('GET', '/me/sessions', 'see', {}, ({ actor }) => signIn.mySessions(actor)),
  endpoint('DELETE', '/me/sessions/:id', 'see', { own: true }, ({ actor, params }) =>
    signIn.endSession(actor, id(params)),
  ),
  endpoint('GET', '/me/tokens', 'see', {}, ({ actor }) => signIn.myTokens(actor)),
  endpoint('POST', '/me/confirm', 'see', { body: signIn.confirmSchema, own: true }, ({ actor, body }) =>
    signIn.confirmSession(actor, body),
  ),
  endpoint('POST', '/me/tokens', 'see', { body: signIn.tokenSchema, own: true, confirm: true }, ({ actor, body }) =>
    signIn.addToken(actor, body),
  ),
  endpoint('DELETE', '/me/tokens/:id', 'see', { own: true }, ({ actor, params }) =>
    signIn.revokeToken(actor, id(params)),
  ),

  endpoint('GET', '/people', 'see', {}, ({ actor }) => listPeople(actor)),
  endpoint('POST', '/people', 'administer', { body: personSchema }, ({ actor, body }) => addPerson(actor, body)),
  endpoint('PATCH', '/people/:id', 'administer', { body: personChangeSchema }, ({ actor, params, body }) =>
    changePerson(actor, id(params), body),
  ),
  endpoint('GET', '/audit', 'administer', { query: auditQuery }, ({ actor, query }) => listAudit(actor, query)),
  endpoint('GET', '/engines', 'see', {}, ({ actor }) => listEngines(actor)),

  endpoint('GET', '/agents', 'see', { query: fleet.agentFilterSchema }, ({ actor, query }) =>
    fleet.listAgents(actor, query),
  ),
  endpoint('GET', '/agents/:id', 'see', {}, ({ actor, params }) => fleet.oneAgent(actor, id(params))),
  endpoint('PATCH', '/agents/:id', 'operate', { body: fleet.agentChangeSchema }, ({ actor, params, body }) =>
    fleet.changeAgent(actor, id(params), body),
  ),
  endpoint('POST', '/agents/:id/revoke', 'administer', {}, ({ actor, params }) => fleet.revokeAgent(actor, id(params))),
  endpoint('GET', '/agents/:id/events', 'see', {}, ({ actor, params }) => fleet.agentEvents(actor, id(params))),
  endpoint('GET', '/agents/:id/refused', 'see', {}, ({ actor, params }) => fleet.refusedReports(actor, id(params))),
  endpoint(
    'GET',
    '/agents/:id/busy',
    'see',
    { query: z.strictObject({ over: z.enum(['hour', 'day', 'week']).default('day') }) },
    ({ actor, params, query }) => fleet.agentBusy(actor, id(params), query.over),
  ),
  endpoint('GET', '/addresses', 'administer', {}, ({ actor }) => addresses.addressesOf(actor)),
  endpoint('PUT', '/addresses', 'administer', { body: addressesSchema }, ({ actor, body }) =>
    addresses.saveAddresses(actor, body),
  ),
  endpoint('GET', '/accounts', 'see', {}, ({ actor }) => accounts.listAccounts(actor)),
  endpoint('POST', '/accounts', 'administer', { body: accounts.accountSchema }, ({ actor, body }) =>
    accounts.addAccount(actor, body),
  ),
  endpoint('PUT', '/accounts/:id', 'administer', { body: accounts.accountChangeSchema }, ({ actor, params, body }) =>
    accounts.changeAccount(actor, id(params), body),
  ),
  endpoint('DELETE', '/accounts/:id', 'administer', {}, ({ actor, params }) =>
    accounts.removeAccount(actor, id(params)),
  ),
  endpoint('GET', '/locks', 'see', {}, ({ actor }) => locks.listLocks(actor)),
  endpoint('POST', '/locks', 'administer', { body: locks.lockSchema }, ({ actor, body }) => locks.addLock(actor, body)),
  endpoint('PUT', '/locks/:id', 'administer', { body: locks.lockChangeSchema }, ({ actor, params, body }) =>
    locks.changeLock(actor, id(params), body),
  ),
  endpoint('DELETE', '/locks/:id', 'administer', {}, ({ actor, params }) => locks.removeLock(actor, id(params))),
  endpoint('GET', '/pools', 'see', {}, ({ actor }) => fleet.listPools(actor)),
  endpoint('POST', '/pools', 'administer', { body: fleet.poolSchema }, ({ actor, body }) => fleet.addPool(actor, body)),
  endpoint('PATCH', '/pools/:id', 'administer', { body: fleet.poolChangeSchema }, ({ actor, params, body }) =>
    fleet.changePool(actor, id(params), body),
  ),
  endpoint('PUT', '/pools/:id/members', 'administer', { body: fleet.membershipSchema }, ({ actor, params, body }) =>
    fleet.setMembership(actor, id(params), body),
  ),
  endpoint('POST', '/enrolment-keys', 'administer', { body: enrolmentKeySchema }, async ({ actor, body, request }) => {
    const made = await addEnrolmentKey(actor, body)
    return { ...made, command: agentCommand(request, made.key) }
  }),
  endpoint('DELETE', '/enrolment-keys/:id', 'administer', {}, ({ actor, params }) =>
    revokeEnrolmentKey(actor, id(params)),
  ),
  endpoint('GET', '/enrolment-keys/:id/enrolments', 'administer', {}, ({ actor, params }) =>
    enrolmentsOfKey(actor, id(params)),
  ),
  endpoint('POST', '/enrolments/:id/answer', 'administer', { body: answerSchema }, ({ actor, params, body }) =>
    answerEnrolment(actor, id(params), body.answer),
  ),

  endpoint('GET', '/areas', 'see', {}, ({ actor }) => work.listAreas(actor)),
  endpoint('POST', '/areas', 'design', { body: work.areaSchema }, ({ actor, body }) => work.addArea(actor, body)),
  endpoint('GET', '/jobs', 'see', {}, ({ actor }) => work.listJobs(actor)),
  endpoint('POST', '/jobs', 'design', { body: work.newJobSchema }, ({ actor, body }) => work.addJob(actor, body)),
  endpoint('GET', '/jobs/:id', 'see', {}, ({ actor, params }) => work.oneJob(actor, id(params))),
  endpoint('PUT', '/jobs/:id', 'design', { body: work.jobSaveSchema }, ({ actor, params, body }) =>
    work.saveJob(actor, id(params), body),
  ),
  endpoint('DELETE', '/jobs/:id', 'design', {}, ({ actor, params }) => work.removeJob(actor, id(params))),

  endpoint('GET', '/flows/material', 'see', {}, ({ actor }) => flows.flowMaterial(actor)),
  endpoint('POST', '/flows/gates', 'see', { heavy: true, body: flows.gatesSchema, reads: true }, ({ actor, body }) =>
    flows.gatesOn(actor, body),
  ),
  endpoint('POST', '/flows', 'design', { heavy: true, body: flows.newFlowSchema }, ({ actor, body }) =>
    flows.addFlow(actor, body),
  ),
  endpoint('GET', '/flows/:id', 'see', {}, ({ actor, params }) => flows.oneFlow(actor, id(params))),
  endpoint('PUT', '/flows/:id', 'design', { heavy: true, body: flows.flowSaveSchema }, ({ actor, params, body }) =>
    flows.saveFlow(actor, id(params), body),
  ),
  endpoint('DELETE', '/flows/:id', 'design', {}, ({ actor, params }) => flows.removeFlow(actor, id(params))),
  endpoint('GET', '/drifts', 'see', {}, ({ actor }) => listDrifts(actor)),
  endpoint('GET', '/startables/:id', 'see', { query: startableQuery }, ({ actor, params, query }) =>
    startable(actor, id(params), query.starter),
  ),

  endpoint('GET', '/shared-values', 'see', {}, ({ actor }) => sharedValues.listSharedValues(actor)),
  endpoint('POST', '/shared-values', 'design', { body: sharedValues.sharedValueSchema }, ({ actor, body }) =>
    sharedValues.addSharedValue(actor, body),
  ),
  endpoint(
    'PUT',
    '/shared-values/:id',
    'design',
    { body: sharedValues.sharedValueChangeSchema },
    ({ actor, params, body }) => sharedValues.changeSharedValue(actor, id(params), body),
  ),
  endpoint('DELETE', '/shared-values/:id', 'design', {}, ({ actor, params }) =>
    sharedValues.removeSharedValue(actor, id(params)),
  ),

  endpoint('GET', '/calendars', 'see', { heavy: true, query: today }, ({ actor, query }) =>
    calendars.listCalendars(actor, query.today),
  ),
  endpoint('POST', '/calendars', 'design', { heavy: true, body: calendars.calendarSchema }, ({ actor, body }) =>
    calendars.addCalendar(actor, body),
  ),
  endpoint(
    'POST',
    '/calendars/preview',
    'see',
    { heavy: true, body: previews.calendarPreviewSchema, reads: true },
    ({ actor, body }) => previews.previewCalendar(actor, body),
  ),
  endpoint(
    'POST',
    '/calendars/read-ics',
    'design',
    { heavy: true, body: calendarFiles.icsSchema, reads: true, maxBytes: MOST_FILE_BYTES },
    ({ actor, body }) => calendarFiles.readIcs(actor, body),
  ),
  endpoint('GET', '/calendars/:id', 'see', { heavy: true, query: today }, ({ actor, params, query }) =>
    calendars.oneCalendar(actor, id(params), query.today),
  ),
  endpoint(
    'PUT',
    '/calendars/:id',
    'design',
    { heavy: true, body: calendars.calendarSaveSchema },
    ({ actor, params, body }) => calendars.saveCalendar(actor, id(params), body),
  ),
  endpoint('DELETE', '/calendars/:id', 'design', { heavy: true }, ({ actor, params }) =>
    calendars.removeCalendar(actor, id(params)),
  ),
  endpoint('GET', '/calendars/:id/uses', 'see', {}, ({ actor, params }) => calendarUses(actor, id(params))),
  endpoint('GET', '/calendars/:id/holidays', 'see', { heavy: true }, ({ actor, params }) =>
    holidayChangesOf(actor, id(params)),
  ),
  endpoint('POST', '/calendars/:id/holidays', 'design', { heavy: true }, ({ actor, params }) =>
    takeOverHolidays(actor, id(params)),
  ),
  endpoint(
    'GET',
    '/calendars/:id/days.ics',
    'see',
    { heavy: true, query: calendarFiles.icsRangeSchema },
    async ({ actor, params, query }) => icsFile(await calendarFiles.calendarIcs(actor, id(params), query)),
  ),
  endpoint('POST', '/calendars/:id/subscription', 'design', {}, ({ actor, params }) =>
    calendarFiles.subscribe(actor, id(params)),
  ),
  endpoint('DELETE', '/calendars/:id/subscription', 'design', {}, ({ actor, params }) =>
    calendarFiles.unsubscribe(actor, id(params)),
  ),
  endpoint('GET', '/holidays/countries', 'see', {}, async () => holidayCountries()),
  endpoint(
    'GET',
    '/holidays/regions',
    'see',
    { query: z.strictObject({ country: z.string().length(2) }) },
    async ({ query }) => holidayRegions(query.country),
  ),

  endpoint('GET', '/triggers', 'see', { query: triggerFilterSchema }, ({ actor, query }) => listTriggers(actor, query)),
  endpoint('POST', '/triggers', 'design', { heavy: true, body: triggers.newTriggerSchema }, ({ actor, body }) =>
    triggers.addTrigger(actor, body),
  ),
  endpoint('PATCH', '/triggers', 'operate', { heavy: true, body: triggers.manyTriggersSchema }, ({ actor, body }) =>
    triggers.changeTriggers(actor, body),
  ),
  endpoint(
    'POST',
    '/triggers/preview',
    'see',
    { heavy: true, body: previews.triggerPreviewSchema, reads: true },
    ({ actor, body }) => previews.previewTrigger(actor, body),
  ),
  endpoint('GET', '/triggers/:id', 'see', {}, ({ actor, params }) => triggers.oneTrigger(actor, id(params))),
  endpoint(
    'PUT',
    '/triggers/:id',
    'design',
    { heavy: true, body: triggers.triggerSaveSchema },
    ({ actor, params, body }) => triggers.saveTrigger(actor, id(params), body),
  ),
  endpoint('DELETE', '/triggers/:id', 'design', { heavy: true }, ({ actor, params }) =>
    triggers.removeTrigger(actor, id(params)),
  ),
  endpoint('POST', '/triggers/:id/start', 'operate', { body: triggers.handStartSchema }, ({ actor, params, body }) =>
    triggers.startByHand(actor, id(params), body),
  ),
  endpoint('GET', '/triggers/:id/history', 'see', { query: historySchema }, ({ actor, params, query }) =>
    triggerHistory(actor, id(params), query),
  ),
  endpoint('GET', '/triggers/:id/machines', 'see', {}, ({ actor, params }) => triggerMachines(actor, id(params))),
  endpoint('GET', '/not-started', 'see', { query: missedSchema }, ({ actor, query }) => listMissed(actor, query)),
  endpoint(
    'GET',
    '/next-starts',
    'see',
    { query: z.strictObject({ limit: z.coerce.number().int().min(1).max(100).default(6) }) },
    ({ actor, query }) => nextStarts(actor, query.limit),
  ),
  endpoint('GET', '/day/ahead', 'see', { heavy: true }, ({ actor }) => dayAhead(actor)),
  endpoint('GET', '/coming-starts', 'see', { heavy: true, query: comingSchema }, ({ actor, query }) =>
    comingStarts(actor, query),
  ),
  endpoint('GET', '/starts', 'see', {}, ({ actor }) => starts.startsState(actor)),
  endpoint('PUT', '/starts', 'operate', { body: starts.startsSchema }, ({ actor, body }) =>
    starts.switchStarts(actor, body),
  ),
  endpoint('GET', '/too-often', 'see', {}, ({ actor }) => starts.tooOften(actor)),
  endpoint('PUT', '/too-often', 'administer', { body: tooOftenSchema }, ({ actor, body }) =>
    starts.saveTooOften(actor, body),
  ),

  endpoint('GET', '/notices', 'see', {}, ({ actor }) => notices.listNotices(actor)),
  endpoint('POST', '/notices', 'design', { body: noticeSchema }, ({ actor, body }) => notices.addNotice(actor, body)),
  endpoint('POST', '/notices/try', 'design', { body: noticeSchema }, ({ actor, body }) =>
    notices.tryNotice(actor, body),
  ),
  endpoint('PUT', '/notices/:id', 'design', { body: noticeSchema }, ({ actor, params, body }) =>
    notices.saveNotice(actor, id(params), body),
  ),
  endpoint('DELETE', '/notices/:id', 'design', {}, ({ actor, params }) => notices.removeNotice(actor, id(params))),
  endpoint('GET', '/notice-sends', 'see', { query: notices.sendsQuery }, ({ actor, query }) =>
    notices.listSends(actor, query.run),
  ),

  endpoint('GET', '/bundle', 'see', { heavy: true }, ({ actor }) => exportBundle(actor)),
  endpoint(
    'POST',
    '/bundle',
    'design',
    { heavy: true, body: z.unknown(), query: dryRun, maxBytes: MOST_FILE_BYTES },
    ({ actor, body, query }) => importBundle(actor, body, query.dryRun),
  ),
  endpoint(
    'POST',
    '/crontab/read',
    'design',
    { heavy: true, body: crontabs.crontabSchema, reads: true, maxBytes: MOST_FILE_BYTES },
    ({ actor, body }) => crontabs.previewCrontab(actor, body),
  ),
  endpoint(
    'POST',
    '/crontab',
    'design',
    { heavy: true, body: crontabs.crontabImportSchema, maxBytes: MOST_FILE_BYTES },
    ({ actor, body }) => crontabs.importCrontab(actor, body),
  ),
  endpoint('GET', '/crontab', 'see', { heavy: true }, ({ actor }) => crontabs.exportCrontab(actor)),

  endpoint('GET', '/jobs/:id/versions', 'see', { query: versionsSchema }, ({ actor, params, query }) =>
    workVersions(actor, id(params), query),
  ),
  endpoint('GET', '/jobs/:id/versions/:version', 'see', {}, ({ actor, params }) =>
    workVersion(actor, id(params), params.version as number),
  ),
  endpoint('GET', '/runs', 'see', { query: runFilterSchema }, ({ actor, query }) => listRuns(actor, query)),
  endpoint('GET', '/runs.csv', 'see', { query: runFilterSchema }, async ({ actor, query }) => runsCsv(actor, query)),
  endpoint('GET', '/runs/counts', 'see', { query: hours }, ({ actor, query }) =>
    countRuns(actor, new Date(Date.now() - query.hours * 3_600_000)),
  ),
  endpoint('POST', '/runs', 'operate', { body: startSchema }, ({ actor, body }) => startRun(actor, body)),
  endpoint('POST', '/runs/many', 'operate', { body: manyRunsSchema }, ({ actor, body }) => actOnRuns(actor, body)),
  endpoint('GET', '/runs/:id', 'see', {}, ({ actor, params }) => oneRun(actor, id(params))),
  endpoint('GET', '/runs/:id/why', 'see', {}, async ({ actor, params }) => ({
    reason: await whyWaiting(actor, id(params)),
  })),
  endpoint('GET', '/runs/:id/earlier', 'see', {}, ({ actor, params }) => earlierRuns(actor, id(params))),
  endpoint('GET', '/runs/:id/output', 'see', { query: outputQuerySchema }, ({ actor, params, query }) =>
    readOutput(actor, id(params), query),
  ),
  endpoint('GET', '/runs/:id/search', 'see', { query: searchQuerySchema }, ({ actor, params, query }) =>
    searchOutput(actor, id(params), query),
  ),
  endpoint(
    'GET',
    '/runs/:id/output.txt',
    'see',
    { query: z.strictObject({ attempt: z.coerce.number().int().positive() }) },
    async ({ actor, params, query }) => outputFile(actor, id(params), query.attempt),
  ),
  endpoint('POST', '/runs/:id/stop', 'operate', {}, ({ actor, params }) => stopRun(actor, id(params))),
  endpoint('POST', '/runs/:id/again', 'operate', { body: againSchema }, ({ actor, params, body }) =>
    runAgain(actor, id(params), body),
  ),
  endpoint('GET', '/runs/:id/steps', 'see', {}, ({ actor, params }) => flowRunView(actor, id(params))),
  endpoint('GET', '/runs/:id/story', 'see', {}, ({ actor, params }) => flowStory(actor, id(params))),
  endpoint('POST', '/runs/:id/steps/hold', 'operate', { body: flowRuns.stepSchema }, ({ actor, params, body }) =>
    flowRuns.holdStep(actor, id(params), body),
  ),
  endpoint('POST', '/runs/:id/steps/release', 'operate', { body: flowRuns.stepSchema }, ({ actor, params, body }) =>
    flowRuns.releaseStep(actor, id(params), body),
  ),
  endpoint('POST', '/runs/:id/steps/mark', 'operate', { body: flowRuns.markSchema }, ({ actor, params, body }) =>
    flowRuns.markStep(actor, id(params), body),
  ),
  endpoint(
    'POST',
    '/runs/:id/steps/again/preview',
    'see',
    { heavy: true, body: flowRuns.againPreviewSchema, reads: true },
    ({ actor, params, body }) => flowRuns.previewAgain(actor, id(params), body),
  ),
  endpoint('POST', '/runs/:id/steps/again', 'operate', { body: flowRuns.stepsAgainSchema }, ({ actor, params, body }) =>
    flowRuns.runStepsAgain(actor, id(params), body),
  ),
  endpoint('POST', '/runs/:id/clear', 'operate', {}, ({ actor, params }) => clearRun(actor, id(params))),

  endpoint('GET', '/matters', 'see', {}, ({ actor }) => listMatters(actor)),
  endpoint('POST', '/matters/:id/take', 'operate', { body: takeSchema }, ({ actor, params, body }) =>
    takeMatter(actor, id(params), body.note),
  ),
  endpoint('POST', '/matters/:id/close', 'operate', {}, ({ actor, params }) => closeMatter(actor, id(params))),

  endpoint('GET', '/lanes', 'see', { query: hours }, ({ actor, query }) =>
    lanes(actor, new Date(Date.now() - query.hours * 3_600_000), config().awaySeconds),
  ),
  endpoint('GET', '/ended', 'see', {}, ({ actor }) => justEnded(actor)),
  endpoint('GET', '/day', 'see', { query: dayLineSchema }, ({ actor, query }) => dayLine(actor, query)),
  endpoint(
    'GET',
    '/find',
    'see',
    { query: z.strictObject({ text: z.string().trim().min(1).max(100) }) },
    ({ actor, query }) => find(actor, query.text),
  ),
  endpoint('GET', '/live', 'see', {}, async ({ actor, request }) => liveStream(request, String(actor.id))),
]

/** Finds the endpoint of a method and path below /api/v1. `known`: the path exists, with other methods. */
export function route(
  method: string,
  segments: readonly string[],
): { endpoint: Endpoint; params: Record<string, number> } | { known: boolean } {
  let known = false
  for (const candidate of ENDPOINTS) {
    const parts = candidate.path.slice(1).split('/')
    if (parts.length !== segments.length) continue
    const params: Record<string, number> = {}
    const fits = parts.every((part, i) => {
      const segment = segments[i] as string
      if (!part.startsWith(':')) return part === segment
      if (!/^[1-9]\d{0,14}$/.test(segment)) return false
      params[part.slice(1)] = Number(segment)
      return true
    })
    if (!fits) continue
    known = true
    if (candidate.method === method) return { endpoint: candidate, params }
  }
  return { known }
}
