/**
 * A path of our own to go to after signing in; anything else is where Bugle opens. It is read as a browser reads it (WHATWG URL): what looks like a path and leads to another site, by blanks, backslashes or
 * tabs in it, is none.
 */
export function ownPath(to: string | undefined): string {
  const base = 'http://bugle.invalid'
  if (to === undefined || !to.startsWith('/') || to.length > 2000) return '/'
  try {
    const url = new URL(to, base)
    const path = `${url.pathname}${url.search}${url.hash}`
    return url.origin === base && !path.startsWith('//') ? path : '/'
  } catch {
    return '/'
  }
}
