import { arriveSchema, addItems } from '@/service/queues/arrive'
import { addFromFile, fileSchema } from '@/service/queues/from-file'
import { Problem } from '@/service/base/problem'
import * as acts from '@/service/queues/acts'
import { listQueues, tideOf, tideSchema } from '@/service/queues/figures'
import { itemPageSchema, listItems, oneItem } from '@/service/queues/items'
import * as queues from '@/service/queues/queues'
import { endpoint, type Endpoint } from '@/app/server/endpoint'
import { id } from './params'

const MOST_FILE_BYTES = 64 * 1024 * 1024

/** The body piece by piece; reading stops where it is longer than it may be, whatever its headers say. */
async function* atMost(body: ReadableStream<Uint8Array> | null, most: number): AsyncGenerator<Uint8Array> {
  let bytes = 0
  for await (const chunk of body ?? []) {
    bytes += chunk.byteLength
    if (bytes > most) throw new Problem('too-large', `A file here has at most ${most / 1024 / 1024} MiB.`)
    yield chunk
  }
}

/** Work queues and their items. */
export const QUEUES: readonly Endpoint[] = [
  endpoint('GET', '/queues', 'see', { says: 'work queues with their figures' }, ({ actor }) => listQueues(actor)),
  endpoint(
    'POST',
    '/queues',
    'design',
    {
      says: '`{title, areaId, tries, delaySeconds, keys, schema, keepDays, active, notes}`; `keys`: `none`, `open` (no two that are not over), `ever`; `schema`: JSON Schema 2020-12',
      body: queues.queueSchema,
    },
    ({ actor, body }) => queues.addQueue(actor, body),
  ),
  endpoint('GET', '/queues/:id', 'see', { says: 'one' }, ({ actor, params }) => queues.oneQueue(actor, id(params))),
  endpoint(
    'PUT',
    '/queues/:id',
    'design',
    { says: 'save it, with the `version` that was read', body: queues.queueSaveSchema },
    ({ actor, params, body }) => queues.saveQueue(actor, id(params), body),
  ),
  endpoint(
    'DELETE',
    '/queues/:id',
    'design',
    { says: 'refused while items wait or are taken, or a job names it' },
    ({ actor, params }) => queues.removeQueue(actor, id(params)),
  ),
  endpoint(
    'GET',
    '/queues/:id/tide',
    'see',
    { says: 'what came, ended and was open over the last `hour`, `day` or `week`', query: tideSchema },
    ({ actor, params, query }) => tideOf(actor, id(params), query),
  ),
  endpoint(
    'GET',
    '/queues/:id/items',
    'see',
    {
      says: 'its items, the newest first; `state`, `priority`, `key` (what it begins with), `overdue`, `run`, `cameFrom`, `cameTo`, `endedFrom`, `endedTo`; `after`, `limit`',
      query: itemPageSchema,
    },
    ({ actor, params, query }) => listItems(actor, id(params), query),
  ),
  endpoint(
    'POST',
    '/queues/:id/items',
    'operate',
    {
      says: 'add up to 1,000: `{items: [{key, data, priority, due, notBefore}]}`, all or none; gives their numbers. With the header `Idempotency-Key` a repeated request adds nothing and answers the same',
      body: arriveSchema,
      maxBytes: 16 * 1024 * 1024,
    },
    ({ actor, params, body, request }) =>
      addItems(actor, id(params), body, () => request.headers.get('idempotency-key')?.slice(0, 200)),
  ),
  endpoint(
    'POST',
    '/queues/:id/items/from-file',
    'operate',
    {
      says: 'add the rows of the file that is the body, up to 100,000 and 64 MiB, all or none; `format`: `csv` (headings `key`, `priority`, `due`, `notBefore`, all others are data) or `jsonl` (an item a line); `dryRun=yes`: only say what would come of it',
      query: fileSchema,
    },
    ({ actor, params, query, request }) =>
      addFromFile(actor, id(params), query, () => atMost(request.body, MOST_FILE_BYTES)),
  ),
  endpoint(
    'POST',
    '/queues/:id/items/many',
    'operate',
    {
      says: 'act on those of `ids`, or on all that `filter` shows: `again`, `withdraw`, `postpone`, `priority`; `dryRun` says with how many it would be done',
      body: acts.manySchema,
    },
    ({ actor, params, body }) => acts.actOnMany(actor, id(params), body),
  ),
  endpoint('GET', '/items/:id', 'see', { says: 'one, with its story' }, ({ actor, params }) =>
    oneItem(actor, id(params)),
  ),
  endpoint(
    'POST',
    '/items/:id/again',
    'operate',
    { says: 'put back what is over, with other `data`, `priority`, `due` or `key` if wanted', body: acts.againSchema },
    ({ actor, params, body }) => acts.putBack(actor, id(params), body),
  ),
  endpoint(
    'POST',
    '/items/:id/withdraw',
    'operate',
    { says: 'take it out', body: acts.withdrawSchema },
    ({ actor, params, body }) => acts.withdrawItem(actor, id(params), body),
  ),
  endpoint(
    'POST',
    '/items/:id/postpone',
    'operate',
    { says: '`{notBefore}`; null: from now on', body: acts.postponeSchema },
    ({ actor, params, body }) => acts.postponeItem(actor, id(params), body),
  ),
  endpoint(
    'POST',
    '/items/:id/change',
    'operate',
    {
      says: '`data`, `priority`, `due`, `key`, while it waits, with the `version` that was read',
      body: acts.changeItemSchema,
    },
    ({ actor, params, body }) => acts.changeItem(actor, id(params), body),
  ),
]
