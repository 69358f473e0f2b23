import { steerPool, steerSchema, undoSteer } from '@/service/fleet/steer'
import { z } from 'zod'
import { listEngines } from '@/service/fleet/engines'
import {
  addEnrolmentKey,
  answerEnrolment,
  answerSchema,
  enrolmentKeySchema,
  enrolmentsOfKey,
  revokeEnrolmentKey,
} from '@/service/fleet/enrol'
import * as accounts from '@/service/fleet/accounts'
import * as locks from '@/service/fleet/locks'
import * as allowances from '@/service/fleet/allowances'
import * as asks from '@/service/fleet/allowance-asks'
import { answerByLetter } from '@/service/letters/allowance-letter'
import { readUse, usageSchema } from '@/service/runs/use'
import { traceDownload } from '@/app/server/downloads'
import * as traces from '@/service/fleet/traces'
import { connections } from '@/service/fleet/connections'
import * as kinds from '@/service/fleet/kinds'
import * as robots from '@/service/fleet/robots'
import { robotsFileSchema, robotsFromFile } from '@/service/fleet/robots-from-file'
import { robotWork, robotWorkSchema } from '@/service/fleet/robot-work'
import * as fleet from '@/service/fleet/fleet'
import { agentCommand, callingSchema } from '@/app/server/agent-file'
import { endpoint, type Endpoint } from '@/app/server/endpoint'
import { id } from './params'

/** Machines: agents, pools, enrolment, accounts, locks, engines. */
export const FLEET: readonly Endpoint[] = [
  endpoint('GET', '/engines', 'see', { says: 'engines, and which one leads' }, ({ actor }) => listEngines(actor)),
  endpoint(
    'GET',
    '/agents',
    'see',
    { says: 'all agents; `text`, `state`, `label`, `version`, `pool`', query: fleet.agentFilterSchema },
    ({ actor, query }) => fleet.listAgents(actor, query),
  ),
  endpoint('GET', '/agents/:id', 'see', { says: 'one' }, ({ actor, params }) => fleet.oneAgent(actor, id(params))),
  endpoint(
    'PATCH',
    '/agents/:id',
    'operate',
    {
      says: 'slots, labels, on or off, draining; other than `draining` it takes *administer*',
      body: fleet.agentChangeSchema,
    },
    ({ actor, params, body }) => fleet.changeAgent(actor, id(params), body),
  ),
  endpoint('POST', '/agents/:id/revoke', 'administer', { says: 'its credential ends' }, ({ actor, params }) =>
    fleet.revokeAgent(actor, id(params)),
  ),
  endpoint('GET', '/agents/:id/events', 'see', { says: 'its story' }, ({ actor, params }) =>
    fleet.agentEvents(actor, id(params)),
  ),
  endpoint(
    'GET',
    '/agents/:id/refused',
    'see',
    { says: 'what it said that was not taken, counted, and why' },
    ({ actor, params }) => fleet.refusedReports(actor, id(params)),
  ),
  endpoint(
    'GET',
    '/agents/:id/busy',
    'see',
    {
      says: 'slots in use; `over`: hour, day, week',
      query: z.strictObject({ over: z.enum(['hour', 'day', 'week']).default('day') }),
    },
    ({ actor, params, query }) => fleet.agentBusy(actor, id(params), query.over),
  ),
  endpoint(
    'GET',
    '/agents/:id/traces',
    'administer',
    { says: 'what it was asked to tell of itself in the last two weeks' },
    ({ actor, params }) => traces.listTraces(actor, id(params)),
  ),
  endpoint(
    'POST',
    '/agents/:id/traces',
    'administer',
    { says: '`{minutes}`: it tells what it does for so long', body: traces.traceSchema },
    ({ actor, params, body }) => traces.startTrace(actor, id(params), body),
  ),
  endpoint('DELETE', '/traces/:id', 'administer', { says: 'enough: it ends now' }, ({ actor, params }) =>
    traces.endTrace(actor, id(params)),
  ),
  endpoint(
    'GET',
    '/traces/:id/file',
    'administer',
    { says: 'all of it: JSON Lines, packed by gzip' },
    ({ actor, params }) => traceDownload(actor, id(params)),
  ),
  endpoint('GET', '/connections', 'see', { says: 'engines, agents, and how well they are connected' }, ({ actor }) =>
    connections(actor),
  ),
  endpoint(
    'GET',
    '/allowances',
    'see',
    { says: 'what may be used at once, how much is, and who asks for more' },
    ({ actor }) => allowances.listAllowances(actor),
  ),
  endpoint(
    'PUT',
    '/allowances',
    'administer',
    { says: '`{what, areaId, units}`: so many at once; null: no limit', body: allowances.allowanceSchema },
    ({ actor, body }) => allowances.setAllowance(actor, body),
  ),
  endpoint(
    'GET',
    '/allowances/use',
    'see',
    { says: 'how much was in use, by the hour; `what`, `areaId`, `days`', query: usageSchema },
    ({ actor, query }) => readUse(actor, query),
  ),
  endpoint(
    'POST',
    '/allowances/:id/asks',
    'design',
    { says: '`{units, why, until}`: ask for so many more', body: asks.moreSchema },
    ({ actor, params, body }) => asks.askForMore(actor, id(params), body),
  ),
  endpoint(
    'POST',
    '/allowance-asks/:id/answer',
    'administer',
    {
      says: '`{grant, answer}`: what was asked for is granted or declined; whoever asked is written to',
      body: asks.answerSchema,
    },
    ({ actor, params, body }) => answerByLetter(actor, id(params), body),
  ),
  endpoint(
    'DELETE',
    '/allowance-asks/:id',
    'design',
    { says: 'take back what oneself has asked for' },
    ({ actor, params }) => asks.withdrawAsk(actor, id(params)),
  ),
  endpoint(
    'GET',
    '/kinds',
    'see',
    { says: 'kinds of step, which are switched off and why, and which agents carry them out' },
    ({ actor }) => kinds.listKinds(actor),
  ),
  endpoint(
    'PUT',
    '/kinds',
    'administer',
    { says: '`{kind, on, why}`: switch a kind of step off for all, or on again', body: kinds.kindSwitchSchema },
    ({ actor, body }) => kinds.switchKind(actor, body),
  ),
  endpoint(
    'GET',
    '/robots',
    'see',
    {
      says: 'all robots, with state and since when; `text`, `state`, `kind`, `agent`, `account`, `pool`, `label`',
      query: robots.robotFilterSchema,
    },
    ({ actor, query }) => robots.listRobots(actor, query),
  ),
  endpoint(
    'POST',
    '/robots',
    'administer',
    {
      says: 'register one: `{name, agentId, account, kind, earliest, latest, calendar, labels, poolIds, notes}`; `account`: `{id}`, or `{name, userName, secret}` of a new one',
      body: robots.robotSchema,
    },
    ({ actor, body }) => robots.addRobot(actor, body),
  ),
  endpoint(
    'POST',
    '/robots/from-file',
    'administer',
    {
      says: 'register those of a CSV, all or none; columns `name`, `agent`, `account`, and if wanted `kind`, `pools`, `earliest`, `latest`, `calendar`, `labels`, `notes`; `dryRun`: only say what would come of it',
      body: robotsFileSchema,
    },
    ({ actor, body }) => robotsFromFile(actor, body),
  ),
  endpoint(
    'GET',
    '/robots/work',
    'see',
    { says: 'who did what over the last `hour`, `day` or `week`, and how busy each was', query: robotWorkSchema },
    ({ actor, query }) => robotWork(actor, query),
  ),
  endpoint('GET', '/robots/:id', 'see', { says: 'one' }, ({ actor, params }) => robots.oneRobot(actor, id(params))),
  endpoint(
    'PATCH',
    '/robots/:id',
    'operate',
    { says: 'on or off; all else takes *administer*', body: robots.robotChangeSchema },
    ({ actor, params, body }) => robots.changeRobot(actor, id(params), body),
  ),
  endpoint(
    'DELETE',
    '/robots/:id',
    'administer',
    { says: 'refused while it is busy, or a job is meant for it alone' },
    ({ actor, params }) => robots.removeRobot(actor, id(params)),
  ),
  endpoint(
    'POST',
    '/robots/:id/try',
    'operate',
    { says: 'its account is signed in with on its machine; what came of it stands in `triedAt` and `tryFault`' },
    ({ actor, params }) => robots.tryRobot(actor, id(params)),
  ),
  endpoint('GET', '/accounts', 'see', { says: 'run-as accounts; never their secrets' }, ({ actor }) =>
    accounts.listAccounts(actor),
  ),
  endpoint(
    'POST',
    '/accounts',
    'administer',
    {
      says: '`{name, userName, secret, hosts, plain, unknownHosts, areaIds, everywhere, agentIds}`; `hosts`: where its secret may go, such as `files.example.org` or `*.example.org`; `areaIds` null: for all areas',
      body: accounts.accountSchema,
    },
    ({ actor, body }) => accounts.addAccount(actor, body),
  ),
  endpoint(
    'PUT',
    '/accounts/:id',
    'administer',
    { says: 'change it; with `secret` a new one takes its place', body: accounts.accountChangeSchema },
    ({ actor, params, body }) => accounts.changeAccount(actor, id(params), body),
  ),
  endpoint(
    'DELETE',
    '/accounts/:id',
    'administer',
    { says: 'refused while a job, a notice or an open run uses it' },
    ({ actor, params }) => accounts.removeAccount(actor, id(params)),
  ),
  endpoint('GET', '/locks', 'see', { says: 'locks, who holds units of them, how many wait' }, ({ actor }) =>
    locks.listLocks(actor),
  ),
  endpoint(
    'POST',
    '/locks',
    'administer',
    { says: '`{name, title, units}`', body: locks.lockSchema },
    ({ actor, body }) => locks.addLock(actor, body),
  ),
  endpoint(
    'PUT',
    '/locks/:id',
    'administer',
    { says: 'title and units', body: locks.lockChangeSchema },
    ({ actor, params, body }) => locks.changeLock(actor, id(params), body),
  ),
  endpoint('DELETE', '/locks/:id', 'administer', { says: 'refused while jobs take it' }, ({ actor, params }) =>
    locks.removeLock(actor, id(params)),
  ),
  endpoint('GET', '/pools', 'see', { says: 'pools and their members' }, ({ actor }) => fleet.listPools(actor)),
  endpoint('POST', '/pools', 'administer', { says: 'add one', body: fleet.poolSchema }, ({ actor, body }) =>
    fleet.addPool(actor, body),
  ),
  endpoint(
    'PATCH',
    '/pools/:id',
    'administer',
    { says: 'switch it on or off', body: fleet.poolChangeSchema },
    ({ actor, params, body }) => fleet.changePool(actor, id(params), body),
  ),
  endpoint(
    'PUT',
    '/pools/:id/members',
    'administer',
    {
      says: 'take an agent (`agentId`) or a robot (`robotId`) in or out, or switch its membership',
      body: fleet.membershipSchema,
    },
    ({ actor, params, body }) => fleet.setMembership(actor, id(params), body),
  ),
  endpoint(
    'POST',
    '/pools/:id/steer',
    'administer',
    {
      says: 'switch all memberships off but one, by `agentId` or `robotId`, until an instant or until it is undone: `{agentId, until}`',
      body: steerSchema,
    },
    ({ actor, params, body }) => steerPool(actor, id(params), body),
  ),
  endpoint(
    'DELETE',
    '/pools/:id/steer',
    'administer',
    { says: 'whoever was on before is on again' },
    ({ actor, params }) => undoSteer(actor, id(params)),
  ),
  endpoint(
    'POST',
    '/enrolment-keys',
    'administer',
    { says: 'a key, and the command to paste', body: enrolmentKeySchema.extend(callingSchema.shape) },
    async ({ actor, body: { through, relay, ...body }, request }) => {
      const made = await addEnrolmentKey(actor, body)
      return { ...made, command: agentCommand(request, made.key, { through, relay }) }
    },
  ),
  endpoint('DELETE', '/enrolment-keys/:id', 'administer', { says: 'revoke it' }, ({ actor, params }) =>
    revokeEnrolmentKey(actor, id(params)),
  ),
  endpoint('GET', '/enrolment-keys/:id/enrolments', 'administer', { says: 'who came with it' }, ({ actor, params }) =>
    enrolmentsOfKey(actor, id(params)),
  ),
  endpoint(
    'POST',
    '/enrolments/:id/answer',
    'administer',
    { says: 'a machine that was known already: the same, another, or no', body: answerSchema },
    ({ actor, params, body }) => answerEnrolment(actor, id(params), body.answer),
  ),
]
