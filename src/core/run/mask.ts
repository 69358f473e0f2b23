/**
 * Hides secrets in text. Values of fewer than 4 characters are not looked for: they would black out ordinary text and tell more than they hide.
 * A secret of several lines is hidden line by line too, since output is masked line by line.
 */
export const MASK = '****'

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
