// Views of lists that people keep.

import { filled, id, instant, int, json, key, orNull, ref, table, text } from '../columns'
import type { ListName } from '@/core/views/lists'
import type { Shared } from '@/core/views/view'

export const views = table('views', {
  id: id(),
  slug: text(),
  list: text<ListName>(),
  queueId: orNull(ref()),
  title: text(),
  values: json(),
  shared: text<Shared>(),
  areaId: orNull(ref()),
  personId: orNull(ref()),
  madeBy: text(),
  version: filled(int()),
  savedBy: text(),
  savedAt: filled(instant()),
})

export const firstViews = table('first_views', {
  personId: key(ref()),
  list: key(text<ListName>()),
  ofQueue: key(ref()),
  viewId: ref(),
})
