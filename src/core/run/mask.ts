/**
 * Hides secrets in text. Values of fewer than 4 characters are not looked for: they would black out ordinary text and tell more than they hide.
 * A secret of several lines is hidden line by line too, since output is masked line by line.
 */
export const MASK = '****'

/** A user name and a secret as they go over the line where somebody signs in by HTTP (RFC 7617). A server may echo them. */
export const basicCredentials = (user: string, secret: string): string =>
  Buffer.from(`${user}:${secret}`).toString('base64')

/** What must not be seen of an account: its secret, and every form in which it travels readably. */
export const accountSecrets = (user: string, secret: string): string[] =>
  secret === '' ? [] : [secret, basicCredentials(user, secret)]

export function makeMask(secrets: readonly string[]): (text: string) => string {
  const needles = new Set<string>()
  for (const secret of secrets) {
    for (const part of [secret, ...secret.split(/\r?\n/)]) if (part.length >= 4) needles.add(part)
  }
  if (needles.size === 0) return (text) => text
  // Longest first, so that a secret that contains another is hidden whole.
  const ordered = [...needles].sort((a, b) => b.length - a.length)
  return (text) => ordered.reduce((masked, secret) => masked.replaceAll(secret, MASK), text)
}
