import { reportSchema } from '@/core/reports/definition'
import {
  addReport,
  listReports,
  oneReport,
  removeReport,
  reportSaveSchema,
  saveReport,
} from '@/service/reports/reports'
import * as results from '@/service/reports/results'
import { areaWorthSchema, listWorths, saveAreaWorth, saveJobWorth, worthSchema } from '@/service/reports/worths'
import { csvDownload, pdfDownload } from '@/app/server/downloads'
import { endpoint, type Endpoint } from '@/app/server/endpoint'
import { id } from './params'

/** Reports are their owners' own: who reads them, and whom they may be shown to, the services look at. */
export const REPORTS: readonly Endpoint[] = [
  endpoint('GET', '/reports', 'see', { says: 'reports that you may read' }, ({ actor }) => listReports(actor)),
  endpoint(
    'POST',
    '/reports',
    'see',
    {
      says: '`{title, notes, kind, period, zone, filter, options, readers, mail, keepDays}`: keep one ([reports](reports.md))',
      body: reportSchema,
      own: true,
    },
    ({ actor, body }) => addReport(actor, body),
  ),
  endpoint('GET', '/reports/:id', 'see', { says: 'one' }, ({ actor, params }) => oneReport(actor, id(params))),
  endpoint(
    'PUT',
    '/reports/:id',
    'see',
    { says: 'save it, with the `version` that was read', body: reportSaveSchema, own: true },
    ({ actor, params, body }) => saveReport(actor, id(params), body),
  ),
  endpoint(
    'DELETE',
    '/reports/:id',
    'see',
    { says: 'remove it with all of its results', own: true },
    ({ actor, params }) => removeReport(actor, id(params)),
  ),
  endpoint(
    'POST',
    '/reports/:id/make',
    'see',
    { says: 'make it now; `{id}` of the result', own: true },
    ({ actor, params }) => results.makeReport(actor, id(params)),
  ),
  endpoint(
    'GET',
    '/reports/:id/results',
    'see',
    { says: 'what came of making it, the newest first' },
    ({ actor, params }) => results.listResults(actor, id(params)),
  ),
  endpoint('GET', '/report-results/:id', 'see', { says: 'one, with all that it says' }, ({ actor, params }) =>
    results.oneResult(actor, id(params)),
  ),
  endpoint('GET', '/report-results/:id/state', 'see', { says: 'how far it is' }, ({ actor, params }) =>
    results.resultState(actor, id(params)),
  ),
  endpoint('GET', '/report-results/:id/report.pdf', 'see', { says: 'as a PDF' }, async ({ actor, params }) =>
    pdfDownload(await results.resultPdf(actor, id(params))),
  ),
  endpoint(
    'GET',
    '/report-results/:id/table.csv',
    'see',
    { says: 'one of its tables as CSV; `table`: its place, from 0', query: results.tableSchema },
    async ({ actor, params, query }) => csvDownload(await results.resultCsv(actor, id(params), query)),
  ),
  endpoint(
    'POST',
    '/report-results/:id/stop',
    'see',
    { says: 'stop making it: nothing of it is left', own: true },
    ({ actor, params }) => results.stopResult(actor, id(params)),
  ),
  endpoint('DELETE', '/report-results/:id', 'see', { says: 'remove it', own: true }, ({ actor, params }) =>
    results.removeResult(actor, id(params)),
  ),
  endpoint('GET', '/worths', 'see', { says: 'what a run of each job, flow and area spares and costs' }, ({ actor }) =>
    listWorths(actor),
  ),
  endpoint(
    'PUT',
    '/worths/jobs/:id',
    'design',
    {
      says: '`{terms: [{since, minutes, rate, runCost}], made: {hours, rate, on}}` of a job or flow',
      body: worthSchema,
    },
    ({ actor, params, body }) => saveJobWorth(actor, id(params), body),
  ),
  endpoint(
    'PUT',
    '/worths/areas/:id',
    'design',
    { says: '`{terms}` of what in an area says nothing of its own', body: areaWorthSchema },
    ({ actor, params, body }) => saveAreaWorth(actor, id(params), body),
  ),
]
