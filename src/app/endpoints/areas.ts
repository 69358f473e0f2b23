import { endpoint } from '@/app/server/endpoint'
import { EXCHANGE } from './exchange'
import { FLEET } from './fleet'
import { LOG } from './log'
import { NOTICES } from './notices'
import { openApiDocument, type ApiArea } from './openapi'
import { ORGANISATIONS } from './organisations'
import { PEOPLE } from './people'
import { QUEUES } from './queues'
import { REPORTS } from './reports'
import { RUNS } from './runs'
import { SETTINGS } from './settings'
import { SYSTEMS } from './systems'
import { TIMING } from './timing'
import { TUNING } from './tuning'
import { VIEWS } from './views'
import { WATCH } from './watch'
import { WORK } from './work'

/** It is the same as long as this process lives, and takes a second to be worked out. */
let document: ReturnType<typeof openApiDocument> | undefined

/** Everything the API does, under /api/v1. */
export const AREAS: readonly ApiArea[] = [
  { title: 'You and other people', endpoints: PEOPLE },
  { title: 'Organisations', endpoints: ORGANISATIONS },
  { title: 'Watch', endpoints: WATCH },
  { title: 'What changed, and the shift’s log', endpoints: LOG },
  { title: 'Runs', endpoints: RUNS },
  { title: 'Work', endpoints: WORK },
  { title: 'Work queues', endpoints: QUEUES },
  { title: 'Timing', endpoints: TIMING },
  { title: 'Views of lists', endpoints: VIEWS },
  { title: 'Reports', endpoints: REPORTS },
  {
    title: 'Forecast and tuning',
    note: 'What a forecast is made of, and its shape: [docs/forecast.md](forecast.md). A stretch is `from` (an instant) and `hours` (at most 168).',
    endpoints: TUNING,
  },
  { title: 'In and out', endpoints: EXCHANGE },
  { title: 'Fleet', endpoints: FLEET },
  { title: 'Systems', endpoints: SYSTEMS },
  { title: 'Notices', endpoints: NOTICES },
  { title: 'Settings', endpoints: SETTINGS },
  {
    title: 'This description',
    endpoints: [
      endpoint(
        'GET',
        '/openapi.json',
        'see',
        { says: 'all of the API as an OpenAPI 3.1 document' },
        async () => (document ??= openApiDocument(AREAS)),
      ),
    ],
  },
]
