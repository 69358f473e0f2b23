import { mayCall, readNetwork } from '@/core/net/networks'
import { requireRight, type Actor } from '@/service/base/actor'
import { changeSetting, readSetting, type Setting } from '@/service/base/settings'

/** Which addresses requests of the server itself may go to: notices, trials. Public ones always; others only when they are listed. */
export async function serverMayReach(): Promise<(address: string) => boolean> {
  const { allow } = await readSetting(null, 'addresses')
  const networks = allow.flatMap((text) => readNetwork(text) ?? [])
  return (address) => mayCall(networks, address)
}

export async function addressesOf(actor: Actor): Promise<Setting<'addresses'>> {
  requireRight(actor, 'administer')
  return readSetting(null, 'addresses')
}

export async function saveAddresses(actor: Actor, request: Setting<'addresses'>): Promise<void> {
  requireRight(actor, 'administer')
  await changeSetting(actor, 'addresses', 'Addresses that the server may call', request)
}
