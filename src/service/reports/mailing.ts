import { letterServer, sendLetter } from '@/service/letters/letter'
import { pagesUrl } from '@/service/base/pages'
import { Problem } from '@/service/base/problem'
import { execute, many } from '@/store/db'
import { notify } from '@/store/listen'
import { isOutage } from '@/store/outage'
import type { Mailed } from './results'

/** A larger PDF is not attached, it is linked: many mailboxes take no more. */
const MOST_ATTACHED = 20 * 1024 * 1024
const MOST_TRIES = 4
const AGAIN_MINUTES = 5

interface Due {
  readonly id: number
  readonly slug: string
  readonly title: string
  readonly period: string
  readonly pdf: Buffer
  readonly mailed: readonly Mailed[]
  readonly mailTries: number
}

/** Mails one result that is due, to whom it has not gone out yet; true: there was one. Killed in between, one address may get it twice, never none. */
export async function mailNext(): Promise<boolean> {
  const [due] = await many<Due>(
    null,
    `UPDATE report_results r SET mail_due = now() + make_interval(mins => $1), mail_tries = mail_tries + 1 FROM reports d
      WHERE d.id = r.report_id AND r.id = (SELECT id FROM report_results WHERE mail_due <= now() ORDER BY mail_due LIMIT 1 FOR UPDATE SKIP LOCKED)
      RETURNING r.id, d.slug, r.title, r.period, r.pdf, r.mailed, r.mail_tries AS "mailTries"`,
    [AGAIN_MINUTES],
  )
  if (!due) return false
  const server = await letterServer(null)
  const link = `${await pagesUrl()}/reports/results/${due.id}`
  const isAttached = due.pdf.byteLength <= MOST_ATTACHED
  const mailed: Mailed[] = []
  for (const [i, one] of due.mailed.entries()) {
    if (one.at !== null) {
      mailed.push(one)
      continue
    }
    const fault =
      server === undefined
        ? 'There is no mail server: Settings, Mail.'
        : await sendLetter(
            server,
            {
              to: one.to,
              subject: `${due.title}: ${due.period}`,
              text: `${due.title}, ${due.period}.\n\n${isAttached ? 'It is attached as a PDF, and stands' : 'It is too large to be attached. It stands'} at\n${link}\n`,
              attachments: isAttached
                ? [{ name: `${due.slug}-${due.id}.pdf`, type: 'application/pdf', bytes: due.pdf }]
                : [],
            },
            `report-${due.id}-${i}`,
          ).then(
            () => null,
            (error: unknown) => {
              if (error instanceof Problem) return error.detail
              // Of what nobody foresaw, too, the others hear nothing.
              if (isOutage(error)) throw error
              return `It could not be sent: ${(error as Error).message}`
            },
          )
    mailed.push({ to: one.to, at: fault === null ? new Date().toISOString() : null, fault })
  }
  const isOver = due.mailTries >= MOST_TRIES || mailed.every(({ at }) => at !== null)
  await execute(
    null,
    `UPDATE report_results SET mailed = $2, mail_due = CASE WHEN $3 THEN NULL ELSE mail_due END WHERE id = $1`,
    [due.id, JSON.stringify(mailed), isOver],
  )
  await notify(null, { reports: true })
  return true
}
