import { lookup as systemLookup } from 'node:dns'
import { isIP, type LookupFunction } from 'node:net'
import { ActFault } from './context'

export type MayReach = (address: string) => boolean

const refusal = (host: string, address: string): ActFault =>
  new ActFault(
    `${host} is ${host === address ? '' : `${address}, `}an address that this server does not call: it can be allowed under Settings, Addresses.`,
  )

/** Looks a name up as the system does, and gives only addresses that may be called: what is connected to is what was checked. */
export function lookupOf(mayReach: MayReach | undefined): LookupFunction | undefined {
  if (!mayReach) return undefined
  return (hostname, options, done) => {
    systemLookup(hostname, { ...options, all: true }, (error, addresses) => {
      if (error) return done(error, '')
      const allowed = addresses.filter(({ address }) => mayReach(address))
      const [first] = allowed
      if (!first) return done(refusal(hostname, addresses[0]?.address ?? hostname), '')
      if (options.all) done(null, allowed)
      else done(null, first.address, first.family)
    })
  }
}

/** A host written as an address is not looked up, so it is checked by itself. */
export function requireReach(host: string, mayReach: MayReach | undefined): void {
  const bare = host.replace(/^\[(.*)\]$/, '$1')
  if (mayReach && isIP(bare) !== 0 && !mayReach(bare)) throw refusal(bare, bare)
}

/** The address to connect to for this host: one that may be called. Without a rule the host itself. */
export async function addressFor(host: string, mayReach: MayReach | undefined): Promise<string> {
  requireReach(host, mayReach)
  const lookup = lookupOf(mayReach)
  if (!lookup || isIP(host) !== 0) return host
  return new Promise((resolve, reject) =>
    lookup(host, {}, (error, address) => (error ? reject(error) : resolve(address as string))),
  )
}
