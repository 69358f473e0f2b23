import { isDayDefault, type DefaultSource } from '@/core/work/inputs'
import type { MailServer } from '@/core/work/mail-server'
import type { Notice } from '@/core/work/notice'
import { STANDIN_PORTS } from './exchange'

/** Values that several jobs take by name. */
export const SHARED_VALUES: readonly { name: string; title: string; value: string; isSecret: boolean }[] = [
  {
    name: 'harbour-office',
    title: 'Address of the harbour office',
    value: 'harbour.office@marram.example',
    isSecret: false,
  },
  { name: 'first-boat', title: 'The boat that sails first', value: 'Tern', isSecret: false },
  { name: 'booking-key', title: 'Key of the booking service', value: 'razorbill-on-the-skerry', isSecret: true },
]

/** What such a default was in the made-up past, in which triggers started everything. */
export const sharedOf = (source: DefaultSource): string | undefined =>
  !isDayDefault(source) && 'shared' in source ? SHARED_VALUES.find(({ name }) => name === source.shared)?.value : ''

/** What must not be used by too many at once. */
export const LOCKS: readonly { name: string; title: string; units: number }[] = [
  { name: 'fares-database', title: 'Fares database, one writer', units: 1 },
  { name: 'booking-terminal', title: 'Seats at the booking terminal', units: 2 },
]

export const MAIL_SERVER: MailServer = {
  name: 'harbour-mail',
  host: '127.0.0.1',
  port: STANDIN_PORTS.mail,
  tls: false,
  from: 'bugle@marram.example',
  account: null,
}

/** Who is told what: by mail and at the ticket desk of the stand-ins. */
export function noticesFor(areaId: number, flowId: number, checkId: number): Notice[] {
  const desk = `http://127.0.0.1:${STANDIN_PORTS.web}/tickets`
  return [
    {
      title: 'Sailing: failures and lateness to the night desk',
      active: true,
      jobId: null,
      areaId,
      events: ['failed', 'late', 'recovered'],
      action: {
        kind: 'mail',
        server: MAIL_SERVER.name,
        to: ['night.desk@marram.example'],
        subject: '${title}: ${event}',
        text: '${title} (${run}) is ${state}.\n${step}\n${line}\n\nDue ${due}.\n${link}\n',
      },
      account: null,
    },
    {
      title: 'Close of day: a ticket when it fails',
      active: true,
      jobId: flowId,
      areaId: null,
      events: ['failed'],
      action: {
        kind: 'ticket',
        url: desk,
        title: 'Close of day failed at ${step}',
        text: '${reason}\n${line}\n${link}',
        urgency: 'high',
      },
      account: null,
    },
    {
      title: 'A setting that somebody changed, to those who look after machines',
      active: true,
      jobId: checkId,
      areaId: null,
      events: ['changed'],
      action: {
        kind: 'mail',
        server: MAIL_SERVER.name,
        to: ['machines@marram.example'],
        subject: '${title} on ${machine}: something else than before',
        text: '${reason}\n\n${link}\n',
      },
      account: null,
    },
  ]
}
