import { mailServerSchema } from '@/core/work/mail-server'
import { noticeSchema } from '@/core/work/notice'
import * as mailServers from '@/service/notices/mail-servers'
import * as notices from '@/service/notices/notices'
import { endpoint, type Endpoint } from '@/app/server/endpoint'
import { id } from './params'

/** Who is told what, by which server. */
export const NOTICES: readonly Endpoint[] = [
  endpoint('GET', '/notices', 'see', { says: 'who is told what, when' }, ({ actor }) => notices.listNotices(actor)),
  endpoint(
    'POST',
    '/notices',
    'design',
    { says: '`{title, jobId, areaId, events, action, account}`', body: noticeSchema },
    ({ actor, body }) => notices.addNotice(actor, body),
  ),
  endpoint(
    'POST',
    '/notices/try',
    'design',
    { says: 'send one now, with made-up facts', body: noticeSchema },
    ({ actor, body }) => notices.tryNotice(actor, body),
  ),
  endpoint('PUT', '/notices/:id', 'design', { says: 'change it', body: noticeSchema }, ({ actor, params, body }) =>
    notices.saveNotice(actor, id(params), body),
  ),
  endpoint('DELETE', '/notices/:id', 'design', { says: 'remove it' }, ({ actor, params }) =>
    notices.removeNotice(actor, id(params)),
  ),
  endpoint(
    'GET',
    '/mail-servers',
    'see',
    { says: 'mail servers that notices go out by, with how many do' },
    ({ actor }) => mailServers.listMailServers(actor),
  ),
  endpoint(
    'POST',
    '/mail-servers',
    'administer',
    { says: '`{name, host, port, tls, from, account}`', body: mailServerSchema },
    ({ actor, body }) => mailServers.addMailServer(actor, body),
  ),
  endpoint(
    'PUT',
    '/mail-servers/:id',
    'administer',
    { says: 'change it, but for its name', body: mailServerSchema.omit({ name: true }) },
    ({ actor, params, body }) => mailServers.changeMailServer(actor, id(params), body),
  ),
  endpoint(
    'DELETE',
    '/mail-servers/:id',
    'administer',
    { says: 'refused while a notice names it' },
    ({ actor, params }) => mailServers.removeMailServer(actor, id(params)),
  ),
  endpoint(
    'GET',
    '/notice-sends',
    'see',
    { says: 'what was sent or is being tried; `run`', query: notices.sendsQuery },
    ({ actor, query }) => notices.listSends(actor, query.run),
  ),
]
