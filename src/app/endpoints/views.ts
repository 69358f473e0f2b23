import { viewSchema } from '@/core/views/view'
import {
  addView,
  firstViewSchema,
  listViews,
  oneView,
  removeView,
  saveView,
  setFirstView,
  viewListSchema,
  viewSaveSchema,
} from '@/service/views/views'
import { endpoint, type Endpoint } from '@/app/server/endpoint'
import { id } from './params'

/** Views of lists. They are their owners' own: whom one may be shared with the service looks at. */
export const VIEWS: readonly Endpoint[] = [
  endpoint(
    'GET',
    '/views',
    'see',
    { says: 'views of a list, and which opens first for you; `of`: the queue, of items', query: viewListSchema },
    ({ actor, query }) => listViews(actor, query),
  ),
  endpoint(
    'POST',
    '/views',
    'see',
    {
      says: '`{list, of, title, values, shared, areaId}`; `values`: what stands in the list’s address; `shared`: `me`, `area` (with `areaId`), `everyone`',
      body: viewSchema,
      own: true,
    },
    ({ actor, body }) => addView(actor, body),
  ),
  endpoint(
    'PUT',
    '/views/first',
    'see',
    {
      says: '`{list, of, viewId}`: what the list opens with for you; null: as it is',
      body: firstViewSchema,
      own: true,
    },
    ({ actor, body }) => setFirstView(actor, body),
  ),
  endpoint('GET', '/views/:id', 'see', { says: 'one' }, ({ actor, params }) => oneView(actor, id(params))),
  endpoint(
    'PUT',
    '/views/:id',
    'see',
    { says: 'save it, with the `version` that was read', body: viewSaveSchema, own: true },
    ({ actor, params, body }) => saveView(actor, id(params), body),
  ),
  endpoint('DELETE', '/views/:id', 'see', { says: 'remove it', own: true }, ({ actor, params }) =>
    removeView(actor, id(params)),
  ),
]
