import { z } from 'zod'

/** An address as its bits; IPv4 ones, also in IPv6 dress (RFC 4291, 2.5.5.2; RFC 6052), are 32. */
interface Address {
  readonly bits: bigint
  readonly width: 32 | 128
}

function ipv4(text: string): bigint | null {
  const parts = text.split('.')
  if (parts.length !== 4 || parts.some((part) => !/^\d{1,3}$/.test(part) || Number(part) > 255)) return null
  return parts.reduce((bits, part) => (bits << 8n) | BigInt(part), 0n)
}

function ipv6(text: string): bigint | null {
  const dotted = /^(.*:)(\d+\.\d+\.\d+\.\d+)$/.exec(text)
  const last = dotted?.[2] === undefined ? null : ipv4(dotted[2])
  if (dotted && last === null) return null
  const plain = dotted
    ? `${dotted[1]}${((last as bigint) >> 16n).toString(16)}:${((last as bigint) & 0xffffn).toString(16)}`
    : text
  const halves = plain.split('::')
  if (halves.length > 2) return null
  const groups = (half: string | undefined): string[] => (half === undefined || half === '' ? [] : half.split(':'))
  const [head, tail] = [groups(halves[0]), groups(halves[1])]
  const missing = 8 - head.length - tail.length
  if (halves.length === 2 ? missing < 1 : missing !== 0) return null
  const all = [...head, ...Array.from({ length: Math.max(0, missing) }, () => '0'), ...tail]
  if (all.some((group) => !/^[0-9a-f]{1,4}$/i.test(group))) return null
  return all.reduce((bits, group) => (bits << 16n) | BigInt(`0x${group}`), 0n)
}

export function readAddress(text: string): Address | null {
  const four = ipv4(text)
  if (four !== null) return { bits: four, width: 32 }
  const six = ipv6(text.replace(/%.*$/, ''))
  if (six === null) return null
  // ::ffff:0:0/96, the same address; 64:ff9b::/96, the address behind a translator.
  const isDressed = six >> 32n === 0xffffn || six >> 32n === 0x64ff9bn << 64n
  return isDressed ? { bits: six & 0xffffffffn, width: 32 } : { bits: six, width: 128 }
}

export interface Network {
  readonly address: Address
  readonly prefix: number
}

/** `10.0.0.0/8`, `192.168.1.7`, `fd00::/8`. */
export function readNetwork(text: string): Network | null {
  const [written = '', length, ...more] = text.split('/')
  const address = readAddress(written)
  if (!address || more.length > 0) return null
  if (length === undefined) return { address, prefix: address.width }
  if (!/^\d{1,3}$/.test(length) || Number(length) > address.width) return null
  return { address, prefix: Number(length) }
}

export const networkSchema = z
  .string()
  .trim()
  .max(60)
  .refine((text) => readNetwork(text) !== null, 'An address such as 10.1.2.3, or a network such as 10.1.0.0/16.')

const holds = ({ address, prefix }: Network, of: Address): boolean =>
  address.width === of.width && address.bits >> BigInt(address.width - prefix) === of.bits >> BigInt(of.width - prefix)

/** Not of the public network: this host, private, link-local, shared, documentation, multicast, reserved (RFC 6890 and the registries it names). */
const SPECIAL = [
  '0.0.0.0/8',
  '10.0.0.0/8',
  '100.64.0.0/10',
  '127.0.0.0/8',
  '169.254.0.0/16',
  '172.16.0.0/12',
  '192.0.0.0/24',
  '192.0.2.0/24',
  '192.168.0.0/16',
  '198.18.0.0/15',
  '198.51.100.0/24',
  '203.0.113.0/24',
  '224.0.0.0/3',
  '::/127',
  '100::/64',
  '2001:db8::/32',
  'fc00::/7',
  'fe80::/10',
  'fec0::/10',
  'ff00::/8',
].flatMap((text) => readNetwork(text) ?? [])

/** Whether this address may be called: a public one, or one that is listed. What is no address may not. */
export function mayCall(allow: readonly Network[], text: string): boolean {
  const address = readAddress(text)
  if (!address) return false
  return allow.some((network) => holds(network, address)) || !SPECIAL.some((network) => holds(network, address))
}
