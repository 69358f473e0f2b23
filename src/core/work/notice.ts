import { z } from 'zod'
import { titleSchema } from '@/core/schema/text'
import { fill, httpSchema, letterShape, referencesIn, ticketSchema } from './connections'
import { slugSchema } from './job'

/** failed: also lost. recovered: succeeded after a failure. late: its deadline has passed. changed: it succeeded, and its output is not what it was. */
export const NOTICE_EVENTS = ['failed', 'recovered', 'at-risk', 'late', 'changed', 'ended'] as const
export type NoticeEvent = (typeof NOTICE_EVENTS)[number]

/** What texts of a notice may refer to. */
export const NOTICE_FACTS = [
  'event',
  'title',
  'area',
  'run',
  'state',
  'reason',
  'step',
  'line',
  'machine',
  'started',
  'ended',
  'due',
  'link',
] as const
export type NoticeFacts = Readonly<Record<(typeof NOTICE_FACTS)[number], string>>

/** A mail goes out by a mail server that is entered once, and named here. */
const noticeMailSchema = z.strictObject({ kind: z.literal('mail'), server: slugSchema, ...letterShape })
const noticeActionSchema = z.discriminatedUnion('kind', [noticeMailSchema, ticketSchema, httpSchema])
export type NoticeAction = z.output<typeof noticeActionSchema>

export const noticeSchema = z
  .strictObject({
    title: titleSchema('A notice needs a title.', 120),
    active: z.boolean().default(true),
    jobId: z.int().positive().nullable().default(null),
    areaId: z.int().positive().nullable().default(null),
    events: z.array(z.enum(NOTICE_EVENTS)).min(1, 'Choose when it is sent.').max(NOTICE_EVENTS.length),
    action: noticeActionSchema,
    /** Signs in for a ticket or a request; for a mail its server's account does. */
    account: slugSchema.nullable().default(null),
  })
  .superRefine(({ jobId, areaId, action, account }, context) => {
    if (jobId !== null && areaId !== null)
      context.addIssue({ code: 'custom', path: ['areaId'], message: 'Of one job or flow, or of an area: not of both.' })
    if (action.kind === 'mail' && account !== null)
      context.addIssue({ code: 'custom', path: ['account'], message: 'The mail server says who signs in there.' })
    const known = new Set<string>(NOTICE_FACTS)
    const missing = new Set(referencesIn(JSON.stringify(action)).filter((name) => !known.has(name)))
    if (missing.size > 0)
      context.addIssue({
        code: 'custom',
        path: ['action'],
        message: `There is no ${[...missing].join(', ')}: ${NOTICE_FACTS.map((name) => `\${${name}}`).join(', ')} can stand here.`,
      })
  })
export type Notice = z.output<typeof noticeSchema>

/**
 * What of a run is told to a person once: its end, whatever the events that stand for it (the first of these that anybody is told of says it), and each other event.
 */
export const momentOf = (event: NoticeEvent): 'end' | 'at-risk' | 'late' | 'changed' =>
  event === 'at-risk' || event === 'late' || event === 'changed' ? event : 'end'

/** Seconds until the next try after so many in vain: 30 s, doubled each time, an hour at most. */
export const pauseAfter = (attempts: number): number => Math.min(3600, 30 * 2 ** Math.max(0, attempts - 1))
/** After about half a day a notice is given up; that is told where notices are listed. */
export const MOST_NOTICE_TRIES = 18

/** Whom it goes to, and the first line of what is sent: for the list. */
export function noticeWords(action: NoticeAction, facts: NoticeFacts): string {
  const first =
    action.kind === 'mail'
      ? `to ${action.to.join(', ')}: ${action.subject}`
      : action.kind === 'ticket'
        ? `ticket: ${action.title}`
        : `${action.method} ${action.url}`
  return fill(first, facts).slice(0, 300)
}
