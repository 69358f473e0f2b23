import { listDrifts } from '@/service/forecast/drifts'
import * as sharedValues from '@/service/work/shared-values'
import { versionsSchema, workVersion, workVersions } from '@/service/work/work-versions'
import { startable, startableQuery } from '@/service/runs/start'
import * as flows from '@/service/work/flows'
import * as areas from '@/service/work/areas'
import * as who from '@/service/work/who-may'
import * as work from '@/service/work/work'
import { endpoint, type Endpoint } from '@/app/server/endpoint'
import { id } from './params'

/** Jobs, flows, areas, shared values. */
export const WORK: readonly Endpoint[] = [
  endpoint(
    'GET',
    '/areas',
    'see',
    { says: 'all areas that you may see, and those above them, with what you may on each' },
    ({ actor }) => areas.listAreas(actor),
  ),
  endpoint(
    'POST',
    '/areas',
    'design',
    { says: '`{title, notes, parentId}`: add one; `parentId`: the area that it lies in', body: areas.newAreaSchema },
    ({ actor, body }) => areas.addArea(actor, body),
  ),
  endpoint('GET', '/areas/:id', 'see', { says: 'one, with its members' }, ({ actor, params }) =>
    areas.oneArea(actor, id(params)),
  ),
  endpoint(
    'PUT',
    '/areas/:id',
    'design',
    {
      says: 'save it; `version` is the one that was read. `members`, `closed` and `parentId` take *manage*',
      body: areas.areaSchema,
      confirm: false,
    },
    ({ actor, params, body }) => areas.saveArea(actor, id(params), body),
  ),
  endpoint(
    'POST',
    '/areas/:id/preview',
    'administer',
    { says: 'what saving it would change for whom: nothing is saved', body: areas.areaSchema, reads: true },
    ({ actor, params, body }) => who.previewArea(actor, id(params), body),
  ),
  endpoint(
    'DELETE',
    '/areas/:id',
    'administer',
    { says: 'refused while something lies in it', confirm: false },
    ({ actor, params }) => areas.removeArea(actor, id(params)),
  ),
  endpoint(
    'GET',
    '/areas/:id/who',
    'see',
    { says: 'who may what on it, and where it comes from' },
    ({ actor, params }) => who.whoMay(actor, id(params)),
  ),
  endpoint('GET', '/jobs/:id/who', 'see', { says: 'the same of a job or flow' }, ({ actor, params }) =>
    who.whoMayWork(actor, id(params)),
  ),
  endpoint('GET', '/jobs', 'see', { says: 'all jobs and flows' }, ({ actor }) => work.listJobs(actor)),
  endpoint('POST', '/jobs', 'design', { says: 'add one', body: work.newJobSchema }, ({ actor, body }) =>
    work.addJob(actor, body),
  ),
  endpoint('GET', '/jobs/:id', 'see', { says: 'one, with its definition' }, ({ actor, params }) =>
    work.oneJob(actor, id(params)),
  ),
  endpoint(
    'PUT',
    '/jobs/:id',
    'design',
    { says: 'save it; `version` is the one that was read', body: work.jobSaveSchema },
    ({ actor, params, body }) => work.saveJob(actor, id(params), body),
  ),
  endpoint(
    'DELETE',
    '/jobs/:id',
    'design',
    { says: 'take it off the lists; refused while triggers start it' },
    ({ actor, params }) => work.removeJob(actor, id(params)),
  ),
  endpoint(
    'GET',
    '/flows/material',
    'see',
    { says: 'what steps can be made of: jobs, flows, calendars' },
    ({ actor }) => flows.flowMaterial(actor),
  ),
  endpoint(
    'POST',
    '/flows/gates',
    'see',
    {
      says: '`{day, rules}`: which day rules hold on a day, for rehearsing',
      heavy: true,
      body: flows.gatesSchema,
      reads: true,
    },
    ({ actor, body }) => flows.gatesOn(actor, body),
  ),
  endpoint(
    'POST',
    '/flows',
    'design',
    { says: 'add a flow: `{title, areaId, definition}`', heavy: true, body: flows.newFlowSchema },
    ({ actor, body }) => flows.addFlow(actor, body),
  ),
  endpoint('GET', '/flows/:id', 'see', { says: 'one, with its definition' }, ({ actor, params }) =>
    flows.oneFlow(actor, id(params)),
  ),
  endpoint(
    'PUT',
    '/flows/:id',
    'design',
    { says: 'save it; `version` is the one that was read', heavy: true, body: flows.flowSaveSchema },
    ({ actor, params, body }) => flows.saveFlow(actor, id(params), body),
  ),
  endpoint(
    'DELETE',
    '/flows/:id',
    'design',
    { says: 'take it off the lists; refused while triggers or flows start it' },
    ({ actor, params }) => flows.removeFlow(actor, id(params)),
  ),
  endpoint(
    'GET',
    '/drifts',
    'see',
    { says: 'jobs and flows that have become slower or quicker in the last sixty days' },
    ({ actor }) => listDrifts(actor),
  ),
  endpoint(
    'GET',
    '/startables/:id',
    'see',
    {
      says: 'what the start of a job or flow asks for, with your own defaults filled in, or (`starter=trigger`) those of a trigger',
      query: startableQuery,
    },
    ({ actor, params, query }) => startable(actor, id(params), query.starter),
  ),
  endpoint(
    'GET',
    '/shared-values',
    'see',
    { says: 'values that jobs and flows take by name, and what takes them; never a secret' },
    ({ actor }) => sharedValues.listSharedValues(actor),
  ),
  endpoint(
    'POST',
    '/shared-values',
    'design',
    { says: '`{name, title, value, isSecret}`; a secret needs *administer*', body: sharedValues.sharedValueSchema },
    ({ actor, body }) => sharedValues.addSharedValue(actor, body),
  ),
  endpoint(
    'PUT',
    '/shared-values/:id',
    'design',
    {
      says: '`{title, value}`; without `value` it stays; refused if it does not fit what takes it',
      body: sharedValues.sharedValueChangeSchema,
    },
    ({ actor, params, body }) => sharedValues.changeSharedValue(actor, id(params), body),
  ),
  endpoint(
    'DELETE',
    '/shared-values/:id',
    'design',
    { says: 'refused while something takes it' },
    ({ actor, params }) => sharedValues.removeSharedValue(actor, id(params)),
  ),
  endpoint(
    'GET',
    '/jobs/:id/versions',
    'see',
    {
      says: 'versions of a job or flow, newest first, 30 at a time (`before`), each with what it changed in sentences',
      query: versionsSchema,
    },
    ({ actor, params, query }) => workVersions(actor, id(params), query),
  ),
  endpoint(
    'GET',
    '/jobs/:id/versions/:version',
    'see',
    { says: 'one of them: `{definition, since}`' },
    ({ actor, params }) => workVersion(actor, id(params), params.version as number),
  ),
]
