import { systemSchema } from '@/core/work/systems'
import { makeSystems, proposeSystems, systemsOfJobsSchema } from '@/service/work/systems-of-jobs'
import { listSystems, systemChoices, systemFilterSchema, systemPage } from '@/service/work/system-pages'
import { addSystem, removeSystem, saveSystem, systemSaveSchema } from '@/service/work/systems'
import { addSystemCheck, systemCheckSchema } from '@/service/timing/system-checks'
import { endpoint, type Endpoint } from '@/app/server/endpoint'
import { id } from './params'

/** What work serves or is done on, without an agent of its own. */
export const SYSTEMS: readonly Endpoint[] = [
  endpoint(
    'GET',
    '/systems',
    'see',
    {
      says: 'systems and how they stand, by what you may see: `state` is the worst of their reach checks, jobs, matters, and what they run on, `why` the sentences; `text`, `kind`, `state`',
      query: systemFilterSchema,
    },
    ({ actor, query }) => listSystems(actor, query),
  ),
  endpoint(
    'POST',
    '/systems',
    'administer',
    {
      says: '`{title, kind, host, port, database, tls, hostKey, account, pool, on, notes}`; what is null each job says itself; `on`: ids of what it runs on',
      body: systemSchema,
    },
    ({ actor, body }) => addSystem(actor, body),
  ),
  endpoint(
    'GET',
    '/systems/choices',
    'see',
    { says: 'systems that a job can be done on, with what each says' },
    ({ actor }) => systemChoices(actor),
  ),
  endpoint(
    'GET',
    '/systems/of-jobs',
    'administer',
    {
      says: 'systems that could be made of what jobs reach that name none, with these jobs; nothing that a job does would change',
    },
    ({ actor }) => proposeSystems(actor),
  ),
  endpoint(
    'POST',
    '/systems/of-jobs',
    'administer',
    {
      says: 'make these systems and move these jobs to them, all or nothing: `{systems}`, as they were proposed',
      body: systemsOfJobsSchema,
    },
    ({ actor, body }) => makeSystems(actor, body),
  ),
  endpoint(
    'GET',
    '/systems/:id',
    'see',
    { says: 'one, with what it runs on and what runs on it, the jobs done on it, and open matters' },
    ({ actor, params }) => systemPage(actor, id(params)),
  ),
  endpoint(
    'PUT',
    '/systems/:id',
    'administer',
    {
      says: 'save it, with the `version` that was read, and all jobs that are done on it; `jobs` in the answer: how many changed',
      body: systemSaveSchema,
    },
    ({ actor, params, body }) => saveSystem(actor, id(params), body),
  ),
  endpoint(
    'POST',
    '/systems/:id/checks',
    'design',
    {
      says: 'make a reach check of it: a job in the area `areaId`, `by` `tcp`, `http` (with `path`) or `ping`, and, with `everyMinutes`, a trigger',
      body: systemCheckSchema,
    },
    ({ actor, params, body }) => addSystemCheck(actor, id(params), body),
  ),
  endpoint(
    'DELETE',
    '/systems/:id',
    'administer',
    { says: 'refused while jobs are done on it or systems run on it' },
    ({ actor, params }) => removeSystem(actor, id(params)),
  ),
]
