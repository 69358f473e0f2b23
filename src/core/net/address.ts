/**
 * Whom a request came from. Each proxy of ours adds, behind what it was given in `X-Forwarded-For`, the address that it saw itself; so with n of them in front, the caller is the n-th entry
 * from the end, counting the peer of the socket as the last. What stands before that is the caller's own word and is not looked at.
 *
 * @param peer the other end of the socket
 * @param forwardedFor the header as it came, all of its lines joined by commas; undefined: none
 * @param proxies how many proxies of ours stand in front; 0: the header is not believed
 */
export function callerAddress(peer: string | undefined, forwardedFor: string | undefined, proxies: number): string {
  const own = plainAddress(peer ?? '')
  if (proxies <= 0) return own
  const told = (forwardedFor ?? '')
    .split(',')
    .map((entry) => plainAddress(entry.trim()))
    .filter((entry) => entry !== '')
  const seen = [...told, own]
  return seen[Math.max(0, seen.length - 1 - proxies)] ?? own
}

/** An IPv4 address in IPv6 dress (RFC 4291, 2.5.5.2) is the IPv4 one; brackets, ports and zone ids go; what is no address is cut short. */
function plainAddress(text: string): string {
  const bare = /^\[([^\]]*)\]/.exec(text)?.[1] ?? text.replace(/^(\d+\.\d+\.\d+\.\d+):\d+$/, '$1')
  return bare
    .replace(/^::ffff:(?=\d+\.\d+\.\d+\.\d+$)/i, '')
    .replace(/%.*$/, '')
    .slice(0, 64)
}
