import { z } from 'zod'
import { endpoint, type Endpoint } from '@/app/server/endpoint'
import { chancesSchema } from '@/service/base/settings'
import { accuracy, accuracySchema } from '@/service/forecast/accuracy'
import { backtest, backtestSchema } from '@/service/forecast/backtest'
import { chanceLimits, saveChances } from '@/service/forecast/chances'
import { forecastMaterial } from '@/service/forecast/material'
import { nightSchema, nightView, whatIf, whatIfSchema } from '@/service/forecast/nights'
import { listProposals, proposalSchema, takeOver, undo } from '@/service/forecast/proposals'
import { costOfSchedules } from '@/service/forecast/schedules'
import { searchMoves, searchSchema } from '@/service/forecast/search'
import { addVariant, listVariants, removeVariant, variantSchema } from '@/service/forecast/variants'
import { standingForecast } from '@/service/forecast/standing'
import { requireRight } from '@/service/base/actor'
import { id } from './params'

const LARGE = 4 * 1024 * 1024

/** What will happen, and what to change. */
export const TUNING: readonly Endpoint[] = [
  endpoint(
    'GET',
    '/forecast',
    'see',
    {
      says: 'the forecast of the next 24 hours as it is kept; `runs=yes`: with all runs',
      query: z.strictObject({ runs: z.enum(['yes']).optional() }),
    },
    ({ actor, query }) => standingForecast(actor, query.runs === 'yes'),
  ),
  endpoint(
    'GET',
    '/tuning/night',
    'see',
    { says: 'a stretch: forecast and demand; `samples` (at most 1,000) for chances', query: nightSchema, heavy: true },
    ({ actor, query }) => nightView(actor, query),
  ),
  endpoint(
    'GET',
    '/tuning/material',
    'see',
    { says: 'all that a forecast is made of: definitions, agents, measured lengths, what is open', heavy: true },
    ({ actor }) => forecastMaterial(actor),
  ),
  endpoint(
    'POST',
    '/tuning/what-if',
    'see',
    {
      says: 'a stretch with `changes` (as `bugle forecast --change`) and `samples`: before, after, difference',
      body: whatIfSchema,
      heavy: true,
      reads: true,
      maxBytes: LARGE,
    },
    ({ actor, body }) => whatIf(actor, body),
  ),
  endpoint(
    'POST',
    '/tuning/search',
    'see',
    {
      says: 'starts that even the load of a stretch: `{from, hours, grid, seconds, only, keep}`; a proposal, and the least peak of each pool',
      body: searchSchema,
      heavy: true,
      reads: true,
    },
    ({ actor, body }) => searchMoves(actor, body),
  ),
  endpoint(
    'GET',
    '/tuning/proposals',
    'see',
    { says: 'what was taken over, by whom, and what came of it' },
    ({ actor }) => listProposals(actor),
  ),
  endpoint(
    'POST',
    '/tuning/proposals',
    'design',
    {
      says: 'takes chosen moves over in one change: `{from, hours, answer, chosen}`; 409 with every start that is another by now',
      body: proposalSchema,
      maxBytes: LARGE,
    },
    ({ actor, body }) => takeOver(actor, body),
  ),
  endpoint(
    'POST',
    '/tuning/proposals/:id/undo',
    'design',
    { says: 'puts the starts back; those changed since stay, and are named' },
    ({ actor, params }) => undo(actor, id(params)),
  ),
  endpoint('GET', '/tuning/variants', 'see', { says: 'lists of changes that were kept' }, ({ actor }) =>
    listVariants(actor),
  ),
  endpoint(
    'POST',
    '/tuning/variants',
    'design',
    { says: 'keeps one: `{title, changes}`', body: variantSchema },
    ({ actor, body }) => addVariant(actor, body),
  ),
  endpoint('DELETE', '/tuning/variants/:id', 'design', { says: 'removes it' }, ({ actor, params }) =>
    removeVariant(actor, id(params)),
  ),
  endpoint('GET', '/tuning/schedules', 'see', { says: 'what each schedule costs in a day', heavy: true }, ({ actor }) =>
    costOfSchedules(actor),
  ),
  endpoint(
    'GET',
    '/tuning/accuracy',
    'see',
    {
      says: 'how right forecasts were over the last `days`, by how long before, by trigger; deadlines kept by week',
      query: accuracySchema,
    },
    ({ actor, query }) => accuracy(actor, query),
  ),
  endpoint(
    'POST',
    '/tuning/backtest',
    'see',
    {
      says: 'forecasts as they would have been made of the deadlines of the last `days`: rows to be scored; `next`: go on with it as `before`',
      body: backtestSchema,
      heavy: true,
      reads: true,
    },
    ({ actor, body }) => backtest(actor, body),
  ),
  endpoint(
    'GET',
    '/settings/chances',
    'see',
    { says: 'below which chance (per cent) a deadline is at risk (`amber`), and hardly to be met (`red`)' },
    ({ actor }) => {
      requireRight(actor, 'see')
      return chanceLimits()
    },
  ),
  endpoint('PUT', '/settings/chances', 'administer', { says: 'other limits', body: chancesSchema }, ({ actor, body }) =>
    saveChances(actor, body),
  ),
]
