// What holds for the whole server, and who leads.

import { filled, flag, instant, int, json, key, long, orNull, table, text, uuid } from '../columns'

export const settings = table('settings', {
  key: key(text()),
  value: json(),
})

export const engines = table('engines', {
  id: key(uuid()),
  host: text(),
  pid: int(),
  version: text(),
  gatewayUrl: text(),
  startedAt: instant(),
  lastSeenAt: instant(),
  cpuMs: filled(long()),
})

export const leadership = table('leadership', {
  singleton: key(filled(flag())),
  epoch: long(),
  engineId: orNull(uuid()),
  leaseUntil: filled(instant()),
})
