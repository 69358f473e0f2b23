import { z } from 'zod'
import { fill, type Connection } from './connections'

/** A host exactly, all hosts below a name (`*.example.org`), or every host (`*`). Compared without regard to case. */
export const hostPatternSchema = z
  .string()
  .trim()
  .toLowerCase()
  .max(255)
  .regex(
    /^(\*|(\*\.)?[a-z0-9_]([a-z0-9_.-]*[a-z0-9_])?|[0-9a-f:]*:[0-9a-f:.]*)$/,
    'A host name or address, or *.example.org for all below it.',
  )

/** Where the secret of an account may go. */
export const accountRulesSchema = z.object({
  /** Hosts that it may sign in at; none: nowhere. */
  hosts: z.array(hostPatternSchema).max(100).default([]),
  /** It may be sent unencrypted: HTTP Basic without TLS, SMTP AUTH without TLS, a database's password in clear. */
  plain: z.boolean().default(false),
  /** It may be sent to a machine whose host key is not written down. */
  unknownHosts: z.boolean().default(false),
})
export type AccountRules = z.output<typeof accountRulesSchema>

/** A user name and a secret, and where they may go. */
export interface SignIn extends AccountRules {
  readonly account: string
  readonly user: string
  readonly secret: string
}

const plainHost = (host: string): string =>
  host
    .toLowerCase()
    .replace(/^\[(.*)\]$/, '$1')
    .replace(/\.$/, '')

export function mayGoTo({ hosts }: Pick<AccountRules, 'hosts'>, host: string): boolean {
  const wanted = plainHost(host)
  return hosts.some((pattern) => {
    if (pattern === '*') return true
    return pattern.startsWith('*.') ? wanted.endsWith(pattern.slice(1)) : wanted === plainHost(pattern)
  })
}

/** The host that an action signs in at, as far as it is known: references to inputs are filled in. */
export function hostOf(action: Connection, values: Readonly<Record<string, string>> = {}): string {
  if (action.kind === 'report') return ''
  if (action.kind !== 'http' && action.kind !== 'ticket') return plainHost(fill(action.host, values))
  try {
    return plainHost(new URL(fill(action.url, values, encodeURIComponent)).hostname)
  } catch {
    return ''
  }
}

/** Why this account may not sign in for this action, in a sentence; null: it may. Where the host hangs on an input that is not given yet, nothing is said about it. */
export function signInFault(
  account: string,
  rules: AccountRules,
  action: Connection,
  values?: Readonly<Record<string, string>>,
): string | null {
  // Nobody signs in for it.
  if (action.kind === 'report') return null
  const host = hostOf(action, values)
  const isOpen =
    values === undefined && /\$\{/.test(action.kind === 'http' || action.kind === 'ticket' ? action.url : action.host)
  if (!isOpen && !mayGoTo(rules, host))
    return `The account ${account} may not sign in at ${host === '' ? 'an address that is none' : host}: its hosts are ${rules.hosts.join(', ') || 'none'}.`
  const isPlain = (action.kind === 'http' || action.kind === 'ticket') && /^http:/i.test(action.url)
  return isPlain ? plainFault(account, rules, 'by HTTP without TLS') : null
}

/** Why its secret may not be sent unencrypted; null: it may. */
export const plainFault = (account: string, { plain }: Pick<AccountRules, 'plain'>, how: string): string | null =>
  plain ? null : `The account ${account} would be sent unencrypted, ${how}; it does not allow that.`
