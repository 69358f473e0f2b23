// Jobs and flows, each of their versions, and what they share.

import { bytes, filled, flag, id, instant, int, json, key, long, orNull, ref, table, text } from '../columns'

export const areas = table('areas', {
  id: id(),
  title: text(),
  notes: filled(text()),
  createdAt: filled(instant()),
  parentId: orNull(ref()),
  closed: filled(flag()),
  path: filled(text()),
  version: filled(int()),
  deletedAt: orNull(instant()),
})

/** From where rights reach an area; kept by the database itself (migration 0017). */
export const areaScopes = table('area_scopes', {
  areaId: key(ref()),
  scopeId: key(ref()),
})

export const jobs = table('jobs', {
  id: id(),
  title: text(),
  notes: filled(text()),
  areaId: ref(),
  active: filled(flag()),
  version: filled(int()),
  usualMs: orNull(long()),
  savedBy: text(),
  savedAt: filled(instant()),
  deletedAt: orNull(instant()),
  slug: text(),
  isFlow: filled(flag()),
  systemId: orNull(ref()),
})

export const jobVersions = table('job_versions', {
  jobId: key(ref()),
  version: key(int()),
  definition: json(),
  savedBy: orNull(text()),
  savedAt: orNull(instant()),
})

export const sharedValues = table('shared_values', {
  id: id(),
  name: text(),
  title: text(),
  value: orNull(text()),
  secret: orNull(bytes()),
  isSecret: flag(),
  changedBy: text(),
  changedAt: filled(instant()),
})
