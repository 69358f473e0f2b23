// Under whose name work is done elsewhere.

import { bytes, filled, flag, id, instant, key, orNull, ref, refs, table, text, texts } from '../columns'

export const accounts = table('accounts', {
  id: id(),
  name: text(),
  userName: text(),
  secret: orNull(bytes()),
  notes: filled(text()),
  everywhere: filled(flag()),
  changedBy: text(),
  changedAt: filled(instant()),
  rotatedAt: orNull(instant()),
  hosts: filled(texts()),
  areaIds: orNull(refs()),
  plain: filled(flag()),
  unknownHosts: filled(flag()),
  goodUntil: orNull(instant()),
})

export const accountAgents = table('account_agents', {
  accountId: key(ref()),
  agentId: key(ref()),
})
