// Work queues, their items, and what became of them.

import { filled, flag, id, instant, int, json, key, long, orNull, ref, small, table, text } from '../columns'

export const queues = table('queues', {
  id: id(),
  slug: text(),
  title: text(),
  notes: filled(text()),
  areaId: ref(),
  tries: int(),
  delayMs: long(),
  keys: text<'none' | 'open' | 'ever'>(),
  schema: orNull(json()),
  keepDays: int(),
  mostRejected: filled(int()),
  active: filled(flag()),
  version: filled(int()),
  savedBy: text(),
  savedAt: filled(instant()),
  deletedAt: orNull(instant()),
})

export const items = table('items', {
  id: id(),
  queueId: ref(),
  key: orNull(text()),
  data: json(),
  priority: small(),
  due: orNull(instant()),
  notBefore: orNull(instant()),
  tries: filled(int()),
  laters: filled(int()),
  state: filled(text<'waiting' | 'taken' | 'rejected' | 'failed' | 'done' | 'withdrawn'>()),
  version: filled(int()),
  result: orNull(json()),
  reason: filled(text()),
  cameBy: text(),
  createdAt: filled(instant()),
  endedAt: orNull(instant()),
})

export const itemKeys = table('item_keys', { queueId: key(ref()), key: key(text()), itemId: ref() })

export const itemTakes = table('item_takes', {
  token: key(filled(long())),
  itemId: ref(),
  attemptId: orNull(ref()),
  runId: orNull(ref()),
  agent: text(),
  robot: orNull(text()),
  takenAt: filled(instant()),
  endedAt: orNull(instant()),
  outcome: orNull(text<'done' | 'rejected' | 'failed' | 'lost' | 'later'>()),
  reason: filled(text()),
})

export const itemEvents = table('item_events', {
  id: id(),
  itemId: ref(),
  at: filled(instant()),
  kind: text(),
  who: text(),
  detail: filled(text()),
})

export const itemRequests = table('item_requests', {
  attemptId: key(ref()),
  request: key(text()),
  answer: json(),
  at: filled(instant()),
})

export const itemArrivals = table('item_arrivals', {
  requestKey: key(text()),
  queueId: ref(),
  answer: json(),
  at: filled(instant()),
})
