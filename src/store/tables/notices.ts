// Who is told of what.

import { filled, flag, id, instant, int, json, key, orNull, ref, table, text, texts } from '../columns'

export const notices = table('notices', {
  id: id(),
  title: text(),
  active: filled(flag()),
  jobId: orNull(ref()),
  areaId: orNull(ref()),
  events: texts(),
  action: json(),
  account: orNull(text()),
  since: filled(instant()),
  changedBy: text(),
  changedAt: filled(instant()),
})

export const noticeSends = table('notice_sends', {
  id: id(),
  noticeId: ref(),
  runId: orNull(ref()),
  event: text(),
  state: filled(text<'waiting' | 'sent' | 'given up'>()),
  attempts: filled(int()),
  nextAt: filled(instant()),
  what: filled(text()),
  madeAt: filled(instant()),
  sentAt: orNull(instant()),
})

export const noticeTellings = table('notice_tellings', {
  runId: key(ref()),
  moment: key(text()),
  address: key(text()),
  sendId: ref(),
})

export const mailServers = table('mail_servers', {
  id: id(),
  name: text(),
  host: text(),
  port: int(),
  tls: flag(),
  sender: text(),
  account: orNull(text()),
  changedBy: text(),
  changedAt: filled(instant()),
})
