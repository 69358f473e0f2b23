// What work serves or is done on, without an agent of its own.

import { filled, flag, id, instant, int, key, orNull, ref, table, text } from '../columns'

export const systems = table('systems', {
  id: id(),
  slug: text(),
  title: text(),
  notes: filled(text()),
  kind: text<'application' | 'database' | 'host' | 'other'>(),
  host: orNull(text()),
  port: orNull(int()),
  database: orNull(text()),
  tls: filled(flag()),
  hostKey: orNull(text()),
  account: orNull(text()),
  pool: orNull(text()),
  version: filled(int()),
  savedBy: text(),
  savedAt: filled(instant()),
})

export const systemOn = table('system_on', {
  systemId: key(ref()),
  onId: key(ref()),
})
