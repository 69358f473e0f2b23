import { ActFault } from '@/act/context'
import { NOTICE_FACTS, type NoticeFacts } from '@/core/work/notice'
import { pagesUrl } from '@/service/base/pages'
import { Problem } from '@/service/base/problem'
import { send } from '@/service/notices/notice-sending'
import { maybeOne, type Tx } from '@/store/db'

/** Letters go out by the mail server that was entered first; undefined: there is none. */
export async function letterServer(tx: Tx | null): Promise<string | undefined> {
  return (await maybeOne<{ name: string }>(tx, 'SELECT name FROM mail_servers ORDER BY id LIMIT 1'))?.name
}

/** Where the link of a letter leads. What works once stands behind `#`: no server and no log sees it before somebody uses it. */
export const linkTo = async (page: 'invited' | 'new-password', token: string): Promise<string> =>
  `${await pagesUrl()}/${page}#${token}`

interface Letter {
  readonly to: string
  readonly subject: string
  readonly text: string
  readonly attachments?: readonly { readonly name: string; readonly type: string; readonly bytes: Buffer }[]
}

/** Sends it now. Throws a Problem where it cannot be. `key`: the same twice is one letter. */
export async function sendLetter(
  server: string,
  { to, subject, text, attachments = [] }: Letter,
  key: string,
): Promise<void> {
  // The text is a fact, not a pattern: what somebody wrote in it is not filled in.
  const facts = Object.fromEntries(NOTICE_FACTS.map((name) => [name, ''])) as NoticeFacts
  const values: NoticeFacts = { ...facts, line: text, title: subject }
  const action = { kind: 'mail' as const, server, to: [to], subject: '${title}', text: '${line}' }
  try {
    await send(
      { action, account: null, jobId: null, areaId: null },
      values,
      'a letter',
      key,
      () => undefined,
      LIMITS,
      attachments,
    )
  } catch (error) {
    if (error instanceof ActFault) throw new Problem('not-now', `The mail could not be sent: ${error.message}`)
    throw error
  }
}
/** Somebody waits for the answer. */
const LIMITS = { seconds: 15, bytes: 64 * 1024 }
